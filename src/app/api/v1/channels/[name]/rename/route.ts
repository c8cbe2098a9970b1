import { renamed } from '@/app/_server/rename'
import { route } from '@/app/_server/route'

/** Calls a channel otherwise, and whatever names it with it; 409 with the places, unless `anyway`. */
export const POST = route('POST /api/v1/channels/[name]/rename', async ({ actor, params, body }) => {
  const { to, anyway } = await body()
  return renamed({ thing: 'channel', from: params.name, to }, anyway, actor.person)
})
