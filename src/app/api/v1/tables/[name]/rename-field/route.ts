import { pool } from '@/app/_server/environment'
import { inUse } from '@/app/_server/in-use'
import { tableOf } from '@/app/_server/reading'
import { route } from '@/app/_server/route'
import { renameField } from '@/store/design/rename'

/** Gives a field another name, and whatever speaks of it with it; 409 with the places, unless `anyway`. */
export const POST = route('POST /api/v1/tables/[name]/rename-field', async ({ actor, params, body }) => {
  const { field, to, label, anyway } = await body()
  const { done, uses } = await renameField(pool(), { table: params.name, from: field, to, label }, anyway, actor.person)
  if (!done) throw inUse(`${field} is used`, 'They go along with `anyway`.', uses)
  const { figures: _, ...table } = (await tableOf(params.name)).table
  return { ...table, uses }
})
