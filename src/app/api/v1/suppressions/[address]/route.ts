import { pool } from '@/app/_server/environment'
import { Problem } from '@/app/_server/problem'
import { route } from '@/app/_server/route'
import { transaction } from '@/store/database'
import { liftSuppression } from '@/store/suppressions'

/** Lets mail go to an address again. */
export const DELETE = route('DELETE /api/v1/suppressions/[address]', async ({ params }) => {
  const address = params.address
  if (!(await transaction(pool(), (db) => liftSuppression(db, address)))) throw new Problem(404, 'Not found', `${address} is not suppressed.`)
  return { address }
})
