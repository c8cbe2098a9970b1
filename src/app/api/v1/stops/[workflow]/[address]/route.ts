import { pool } from '@/app/_server/environment'
import { Problem } from '@/app/_server/problem'
import { route } from '@/app/_server/route'
import { transaction } from '@/store/database'
import { takeBackSay } from '@/store/limits/own-say'

/** Takes a stop back: mail of the workflow goes to the address again. */
export const DELETE = route('DELETE /api/v1/stops/[workflow]/[address]', async ({ params: { workflow, address } }) => {
  if (!(await transaction(pool(), (db) => takeBackSay(db, workflow, address)))) throw new Problem(404, 'Not found', `${address} did not say stop of ${workflow}.`)
  return { workflow, address }
})
