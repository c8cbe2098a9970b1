import { pool } from '@/app/_server/environment'
import { requireOwnFiles } from '@/app/_server/file-access'
import { Problem } from '@/app/_server/problem'
import { objectOf, recordId, tableOf } from '@/app/_server/reading'
import { route } from '@/app/_server/route'
import { parseRecord } from '@/core/values/parse'
import type { RecordId } from '@/core/values/tables'
import { deleteRecord, readRecord, updateRecord, writing } from '@/store/records'

function missing(singular: string, id: RecordId): Problem {
  return new Problem(404, 'Not found', `There is no ${singular} with the id ${id}.`)
}

export const GET = route('GET /api/v1/records/[table]/[id]', async ({ params }) => {
  const { table } = await tableOf(params.table)
  const id = recordId(table, params.id)
  const record = await readRecord(pool(), table, id)
  if (!record) throw missing(table.singular, id)
  return record
})

export const PATCH = route('PATCH /api/v1/records/[table]/[id]', async ({ actor, params, json }) => {
  const { table } = await tableOf(params.table)
  const id = recordId(table, params.id)
  const { image, problems } = parseRecord(table, objectOf(await json()), { whole: false })
  if (problems.length) throw new Problem(422, 'Not valid', `The ${table.singular} was not changed.`, { problems })
  await requireOwnFiles(actor, table, image)
  const record = await writing(pool(), { by: actor.by }, (db) => updateRecord(db, table, id, image))
  if (!record) throw missing(table.singular, id)
  return record
})

export const DELETE = route('DELETE /api/v1/records/[table]/[id]', async ({ actor, params }) => {
  const { table } = await tableOf(params.table)
  const id = recordId(table, params.id)
  if (!(await writing(pool(), { by: actor.by }, (db) => deleteRecord(db, table, id)))) throw missing(table.singular, id)
  return new Response(null, { status: 204 })
})
