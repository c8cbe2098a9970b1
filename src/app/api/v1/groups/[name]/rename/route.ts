import { renamed } from '@/app/_server/rename'
import { route } from '@/app/_server/route'

/** Calls a group otherwise, and whatever names it with it; 409 with the places, unless `anyway`. */
export const POST = route('POST /api/v1/groups/[name]/rename', async ({ actor, params, body }) => {
  const { to, anyway } = await body()
  return renamed({ thing: 'group', from: params.name, to }, anyway, actor.person)
})
