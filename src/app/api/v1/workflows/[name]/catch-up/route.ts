import { apart, pool } from '@/app/_server/environment'
import { route } from '@/app/_server/route'
import { rowOf } from '@/app/_server/workflows'
import { catchUp } from '@/store/catch-up'

/** What running the changes that passed the workflow by would send: how many changes, firings, mails, and to whom. Nothing is sent. */
export const GET = route('GET /api/v1/workflows/[name]/catch-up', async ({ actor, params }) => {
  const { name } = await rowOf(actor, params.name)
  return apart().run('passed by', { name })
})

/** Has the changes that passed the workflow by while it was paused handled after all; answers how many. */
export const POST = route('POST /api/v1/workflows/[name]/catch-up', async ({ actor, params }) => {
  const { name } = await rowOf(actor, params.name)
  return { changes: await catchUp(pool(), name) }
})
