import { pool } from '@/app/_server/environment'
import { Problem } from '@/app/_server/problem'
import { wholeNumber } from '@/app/_server/reading'
import { route } from '@/app/_server/route'
import { readBulk, setOffBy } from '@/store/bulk/log'

/** Many records written at once, with what they set off so far, workflow by workflow. */
export const GET = route('GET /api/v1/bulk/[id]', async ({ params }) => {
  const id = wholeNumber(params.id, 'id')
  const row = await readBulk(pool(), id)
  if (!row) throw new Problem(404, 'Not found', `There is no import, mass edit or mass deletion ${id}.`)
  return { ...row, setOff: await setOffBy(pool(), id) }
})
