import { apart, pool } from '@/app/_server/environment'
import { route } from '@/app/_server/route'
import { onlyAddress, requireRunnable, rowOf } from '@/app/_server/workflows'
import { ticksOf } from '@/engine/answers/timetable'

/** How many records fit the draft as they stand now, which the question before going live names; and the last moments of its timetable. */
export const GET = route('GET /api/v1/workflows/[name]/fits', async ({ actor, params, inTurn }) => {
  const row = await rowOf(actor, params.name)
  await requireRunnable(row.draft, await onlyAddress(actor, row.name), 422)
  return { fits: await inTurn(() => apart().run('fits', { workflow: row.draft })), ticks: await ticksOf(pool(), row.name) }
})
