import { bulkOf, quietOf } from '@/app/_server/bulk'
import { pool, replica } from '@/app/_server/environment'
import { tagged } from '@/app/_server/etag'
import { requireOwnFiles } from '@/app/_server/file-access'
import { keyedCall, oncePerKey } from '@/app/_server/keyed'
import { Problem } from '@/app/_server/problem'
import { conditionOf, pageLimit, recordId, settingOf, tableOf, wholeNumber } from '@/app/_server/reading'
import { route } from '@/app/_server/route'
import { webStream } from '@/app/_server/web-stream'
import { parseRecord } from '@/core/values/parse'
import { fieldOf, idFrom, recordPath, type Schema, type TableDef } from '@/core/values/tables'
import { type ExportKind, exportRecords } from '@/engine/bulk/export'
import { doBulk } from '@/engine/bulk/write'
import { countRecords, createRecord, listRecords, readTitles, writing } from '@/store/records'
import { sortedPage } from '@/store/sorted'
import { groupRecords, sumRecords } from '@/store/sums'

/** All records that fit, as a file; where they come from a replica, `Rappel-Behind` says how many seconds it is behind. */
async function exported(table: TableDef, kind: ExportKind, query: URLSearchParams, schema: Schema, signal: AbortSignal): Promise<Response> {
  const setting = await settingOf(schema)
  const which = { table, where: conditionOf(query.get('where')), order: query.get('order') ?? undefined }
  return replica().read(async (from, behind) => {
    const file = exportRecords(from, kind, which, setting)
    signal.addEventListener('abort', () => file.destroy(), { once: true })
    await new Promise((resolve, reject) => file.once('readable', resolve).once('error', reject)) // what is wrong with the question is told before the file begins
    return new Response(webStream(file), {
      headers: {
        'content-type': TYPES[kind],
        'content-disposition': `attachment; filename="${table.name}.${kind}"`,
        ...(behind === null ? {} : { 'rappel-behind': behind.toFixed(1) }),
      },
    })
  })
}

const TYPES: Record<ExportKind, string> = {
  csv: 'text/csv; charset=utf-8; header=present',
  xlsx: 'application/vnd.openxmlformats-officedocument.spreadsheetml.sheet',
  jsonl: 'application/x-ndjson',
}

/** Lists records. Without `order` they come by id and `after` is the last id seen; with it, `after` (or `offset`) counts those seen. */
export const GET = route('GET /api/v1/records/[table]', async ({ params, query, request }) => {
  const [, name = params.table, kind] = /^(.+)\.(csv|xlsx|jsonl)$/.exec(params.table) ?? []
  const { table, schema } = await tableOf(name)
  if (kind === 'csv' || kind === 'xlsx' || kind === 'jsonl') return exported(table, kind, query, schema, request.signal)
  const setting = await settingOf(schema)
  const where = conditionOf(query.get('where'))
  const limit = pageLimit(query)
  const order = query.get('order') ?? undefined
  const seen = query.get('after') ?? query.get('offset')
  const after = order ? wholeNumber(seen, 'after', 0) : 0
  const place = order ? { order, offset: after } : { after: seen === null ? null : recordId(table, seen, 'after') }
  const deep = order ? await sortedPage(pool(), table, setting, { where, order, limit, offset: after }) : null
  const records = deep?.records ?? (await listRecords(pool(), table, setting, { where, limit, ...place }))
  const last = records[records.length - 1]
  const isEnd = deep ? after + limit >= deep.all : records.length < limit
  const next = isEnd ? null : String(order ? after + (deep ? limit : records.length) : last?.id)
  return {
    records,
    next,
    ...(query.has('count') ? { count: await countRecords(pool(), table, setting, where) } : {}),
    ...(query.has('sums') ? { sums: await sumRecords(pool(), table, setting, where) } : {}),
    ...(query.get('group') ? { groups: await groupRecords(pool(), table, schema, setting, where, query.get('group') ?? '') } : {}),
    ...(query.has('titles') ? { titles: Object.fromEntries(await readTitles(pool(), schema, table, records)) } : {}),
  }
})

/** Creates a record; the same call again with the same Idempotency-Key creates none, and is answered alike. */
export const POST = route('POST /api/v1/records/[table]', async ({ actor, params, body, request }) => {
  const { table } = await tableOf(params.table)
  const given = await body()
  const { image, problems } = parseRecord(table, given, { whole: true })
  if (problems.length) throw new Problem(422, 'Not valid', `The ${table.singular} was not created.`, { problems })
  await requireOwnFiles(actor, table, image)
  const call = keyedCall(request, actor, given)
  const { answer: record } = await writing(pool(), { by: actor.by }, (db) => oncePerKey(db, call, async () => ({ status: 201, answer: await createRecord(db, table, image) })))
  return tagged(request, record, { status: 201, headers: { location: `/api/v1${recordPath(table.name, idFrom(record.id) ?? 0)}` } })
})

/** Changes many records as one transaction. */
export const PATCH = route('PATCH /api/v1/records/[table]', async ({ actor, params, body }) => {
  const { table, schema } = await tableOf(params.table)
  const { quiet, ...asked } = await body()
  const bulk = await bulkOf(actor, table, asked)
  if (bulk.kind !== 'edit') throw new Problem(422, 'Not valid', 'A mass edit takes ids or where, and set.')
  const {
    changed,
    unchanged,
    bulk: id,
  } = await doBulk(pool(), bulk, { by: actor.by, name: namesOf(table, Object.keys(bulk.set)), quiet: quietOf(actor, quiet === true) }, { setting: await settingOf(schema) })
  return { changed, unchanged, bulk: id }
})

/** Deletes many records as one transaction. */
export const DELETE = route('DELETE /api/v1/records/[table]', async ({ actor, params, body }) => {
  const { table, schema } = await tableOf(params.table)
  const { quiet, ...asked } = await body()
  const bulk = await bulkOf(actor, table, { ...asked, delete: true })
  const { deleted, bulk: id } = await doBulk(pool(), bulk, { by: actor.by, name: table.label, quiet: quietOf(actor, quiet === true) }, { setting: await settingOf(schema) })
  return { deleted, bulk: id }
})

const namesOf = (table: TableDef, fields: readonly string[]) => fields.map((f) => fieldOf(table, f)?.label ?? f).join(', ')
