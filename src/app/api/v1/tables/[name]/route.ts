import { pool } from '@/app/_server/environment'
import { inUse } from '@/app/_server/in-use'
import { Problem } from '@/app/_server/problem'
import { tableOf } from '@/app/_server/reading'
import { anywayOf, route } from '@/app/_server/route'
import { STATES } from '@/app/_server/states'
import { readTableDef } from '@/core/values/read-table'
import { keepTable } from '@/store/design/keep-table'
import { removeTable } from '@/store/design/remove'

export const GET = route('GET /api/v1/tables/[name]', ({ params }) => STATES['/api/v1/tables/[name]'](params))

export const PUT = route('PUT /api/v1/tables/[name]', async ({ actor, params, body }) => {
  const name = params.name
  const read = readTableDef(name, await body())
  if ('problems' in read) throw new Problem(422, 'Not valid', `The definition of ${name} has the wrong shape.`, { problems: read.problems })
  await keepTable(pool(), read.table, actor.person)
  const { figures: _, ...table } = (await tableOf(name)).table
  return table
})

/** Deletes a table with its records; 409 with the places that use it, or where it has records, unless `{ anyway: true }`. */
export const DELETE = route('DELETE /api/v1/tables/[name]', async ({ params, request }) => {
  const { done, uses, records } = await removeTable(pool(), params.name, await anywayOf(request))
  if (!done && uses.length) throw inUse(`${params.name} has ${records} records, and is used`, 'It is deleted with `anyway`.', uses)
  if (!done) throw new Problem(409, 'Not empty', `${params.name} has ${records} records. They are deleted with it with \`anyway\`.`)
  return { uses, records }
})
