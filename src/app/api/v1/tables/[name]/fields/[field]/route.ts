import { pool } from '@/app/_server/environment'
import { inUse } from '@/app/_server/in-use'
import { anywayOf, route } from '@/app/_server/route'
import { removeField } from '@/store/design/remove'

/** Removes a field; 409 with the places that use it, unless `{ anyway: true }`, which pauses live workflows among them. */
export const DELETE = route('DELETE /api/v1/tables/[name]/fields/[field]', async ({ params, request }) => {
  const { done, uses } = await removeField(pool(), params.name, params.field, await anywayOf(request))
  if (!done) throw inUse(`${params.field} is used`, 'It is removed with `anyway`; live workflows among them are paused.', uses)
  return { uses }
})
