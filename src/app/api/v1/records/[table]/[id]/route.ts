import { pool } from '@/app/_server/environment'
import { requireMatch, tagged } from '@/app/_server/etag'
import { requireOwnFiles } from '@/app/_server/file-access'
import { Problem } from '@/app/_server/problem'
import { recordId, tableOf } from '@/app/_server/reading'
import { route } from '@/app/_server/route'
import { parseRecord } from '@/core/values/parse'
import type { RecordId, TableDef } from '@/core/values/tables'
import type { Queryable } from '@/store/database'
import { deleteRecord, lockRecord, readRecord, updateRecord, writing } from '@/store/records'

function missing(singular: string, id: RecordId): Problem {
  return new Problem(404, 'Not found', `There is no ${singular} with the id ${id}.`)
}

/** Refuses to change a record that is not as the caller saw it (If-Match). */
async function requireUnchanged(db: Queryable, table: TableDef, id: RecordId, request: Request): Promise<void> {
  if (!request.headers.has('if-match')) return
  const record = await lockRecord(db, table, id)
  if (record) requireMatch(request, record)
}

export const GET = route('GET /api/v1/records/[table]/[id]', async ({ params, request }) => {
  const { table } = await tableOf(params.table)
  const id = recordId(table, params.id)
  const record = await readRecord(pool(), table, id)
  if (!record) throw missing(table.singular, id)
  return tagged(request, record)
})

export const PATCH = route('PATCH /api/v1/records/[table]/[id]', async ({ actor, params, body, request }) => {
  const { table } = await tableOf(params.table)
  const id = recordId(table, params.id)
  const { image, problems } = parseRecord(table, await body(), { whole: false })
  if (problems.length) throw new Problem(422, 'Not valid', `The ${table.singular} was not changed.`, { problems })
  await requireOwnFiles(actor, table, image)
  const record = await writing(pool(), { by: actor.by }, async (db) => {
    await requireUnchanged(db, table, id, request)
    return updateRecord(db, table, id, image)
  })
  if (!record) throw missing(table.singular, id)
  return tagged(request, record)
})

export const DELETE = route('DELETE /api/v1/records/[table]/[id]', async ({ actor, params, request }) => {
  const { table } = await tableOf(params.table)
  const id = recordId(table, params.id)
  const isDeleted = await writing(pool(), { by: actor.by }, async (db) => {
    await requireUnchanged(db, table, id, request)
    return deleteRecord(db, table, id)
  })
  if (!isDeleted) throw missing(table.singular, id)
  return new Response(null, { status: 204 })
})
