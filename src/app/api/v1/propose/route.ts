import { apart } from '@/app/_server/environment'
import { Problem } from '@/app/_server/problem'
import { route } from '@/app/_server/route'

/** From past changes: conditions that agree with marks on them, and the change to be asked about next. */
export const POST = route('POST /api/v1/propose', async ({ body, inTurn, request }) => {
  const { table, yes, no, days, within } = await body()
  const asked = { table, yes, no, days: days ?? 30, ...(within === undefined ? {} : { within }) }
  const told = await inTurn(() => apart().run('propose', asked, { signal: request.signal, like: `propose ${table}` }))
  if (told === null) throw new Problem(404, 'Not found', `There is no table ${JSON.stringify(table)}.`)
  return told
})
