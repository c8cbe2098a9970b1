import { pool } from '@/app/_server/environment'
import { wholeNumber } from '@/app/_server/reading'
import { Problem, route } from '@/app/_server/route'
import { keeperFor } from '@/app/_server/workflows'
import { listMessages } from '@/store/messages'
import { readRun } from '@/store/runs'

export const GET = route('GET /api/v1/runs/[id]', async ({ actor, params }) => {
  const id = wholeNumber(params.id as string, 'id')
  const run = await readRun(pool(), id, keeperFor(actor))
  if (!run) throw new Problem(404, 'Not found', `There is no run ${id}.`)
  return { ...run, messages: await listMessages(pool(), { run: id, limit: 1_000 }) }
})
