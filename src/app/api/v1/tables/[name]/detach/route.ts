import { pool } from '@/app/_server/environment'
import { inUse } from '@/app/_server/in-use'
import { Problem } from '@/app/_server/problem'
import { tableOf } from '@/app/_server/reading'
import { anywayOf, route } from '@/app/_server/route'
import { removeTable } from '@/store/design/remove'

/** Lets go of another program's table, which stays as it is; 409 with the places that use it, unless `{ anyway: true }`. */
export const POST = route('POST /api/v1/tables/[name]/detach', async ({ params, request }) => {
  const { table } = await tableOf(params.name)
  if (!table.attached) throw new Problem(409, 'Not attached', `${table.label} is Rappel’s own table: there is nothing to let go of. Deleting it is another call.`)
  const { done, uses } = await removeTable(pool(), params.name, await anywayOf(request))
  if (!done) throw inUse(`${params.name} is used`, 'It is let go of with `anyway`.', uses)
  return { uses }
})
