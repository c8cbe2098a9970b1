import { pool } from '@/app/_server/environment'
import { requireOwnFiles } from '@/app/_server/file-access'
import { Problem } from '@/app/_server/problem'
import { conditionOf, objectOf, pageLimit, recordId, settingOf, tableOf, wholeNumber } from '@/app/_server/reading'
import { route } from '@/app/_server/route'
import type { Condition } from '@/core/document/condition'
import { readCondition } from '@/core/document/schema'
import { KEY_WORDS, parseRecord, readId } from '@/core/values/parse'
import { type RecordId, recordPath, type TableDef } from '@/core/values/tables'
import { countRecords, createRecord, editRecords, listRecords, readTitles, writing } from '@/store/records'

/** Lists records. Without `order` they come by id and `after` is the last id seen; with it, `after` (or `offset`) counts those seen. */
export const GET = route('GET /api/v1/records/[table]', async ({ params, query }) => {
  const { table, schema } = await tableOf(params.table)
  const setting = await settingOf(schema)
  const where = conditionOf(query.get('where'))
  const limit = pageLimit(query)
  const order = query.get('order') ?? undefined
  const seen = query.get('after') ?? query.get('offset')
  const after = order ? wholeNumber(seen, 'after', 0) : 0
  const place = order ? { order, offset: after } : { after: seen === null ? null : recordId(table, seen, 'after') }
  const records = await listRecords(pool(), table, setting, { where, limit, ...place })
  const last = records[records.length - 1]
  const next = records.length < limit ? null : String(order ? after + records.length : last?.id)
  return {
    records,
    next,
    ...(query.has('count') ? { count: await countRecords(pool(), table, setting, where) } : {}),
    ...(query.has('titles') ? { titles: Object.fromEntries(await readTitles(pool(), schema, table, records)) } : {}),
  }
})

export const POST = route('POST /api/v1/records/[table]', async ({ actor, params, json }) => {
  const { table } = await tableOf(params.table)
  const { image, problems } = parseRecord(table, objectOf(await json()), { whole: true })
  if (problems.length) throw new Problem(422, 'Not valid', `The ${table.singular} was not created.`, { problems })
  await requireOwnFiles(actor, table, image)
  const record = await writing(pool(), { by: actor.by }, (db) => createRecord(db, table, image))
  return Response.json(record, { status: 201, headers: { location: `/api/v1${recordPath(table.name, record.id)}` } })
})

export const PATCH = route('PATCH /api/v1/records/[table]', async ({ actor, params, json }) => {
  const { table, schema } = await tableOf(params.table)
  const { ids, where, set, ...unknown } = objectOf(await json())
  if (Object.keys(unknown).length) throw new Problem(422, 'Not valid', 'A mass edit takes ids or where, and set.')
  const which = whichOf(table, ids, where)
  const { image, problems } = parseRecord(table, objectOf(set), { whole: false })
  if (problems.length || Object.keys(image).length === 0) throw new Problem(422, 'Not valid', 'Nothing was changed.', { problems })
  const setting = await settingOf(schema)
  const changed = await writing(pool(), { by: actor.by }, (db) => editRecords(db, table, setting, which, image))
  return { changed }
})

function whichOf(table: TableDef, ids: unknown, where: unknown): { ids: RecordId[] } | { where: Condition } {
  const known = Array.isArray(ids) && where === undefined ? ids.map((id) => readId(table, id)).filter((id) => id !== null) : null
  if (known && Array.isArray(ids) && known.length === ids.length) return { ids: known }
  const read = ids === undefined && where !== undefined ? readCondition(where) : null
  if (read && 'condition' in read) return { where: read.condition }
  throw new Problem(
    422,
    'Not valid',
    `Say which records: ids (a list of them, each ${KEY_WORDS[table.key ?? 'number']}) or where (a condition), one of them.`,
    read ? { problems: read.problems } : {},
  )
}
