import { pool } from '@/app/_server/environment'
import { route } from '@/app/_server/route'
import { requireRunnable, rowOf, shown } from '@/app/_server/workflows'
import { putLive } from '@/store/workflows'

export const POST = route('POST /api/v1/workflows/[name]/live', async ({ actor, params }) => {
  const row = await rowOf(actor, params.name as string)
  await requireRunnable(row.draft, row.keeper_email, 409)
  await putLive(pool(), row.name, actor.person)
  return shown(await rowOf(actor, row.name))
})
