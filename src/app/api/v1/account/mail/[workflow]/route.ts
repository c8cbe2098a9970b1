import { now, pool } from '@/app/_server/environment'
import { Problem } from '@/app/_server/problem'
import { objectOf } from '@/app/_server/reading'
import { route } from '@/app/_server/route'
import { transaction } from '@/store/database'
import { writeSay } from '@/store/limits/own-say'
import { readWorkflowRow } from '@/store/workflows'

/** Asks for a workflow's mail to oneself as digests (`gathered`), or one by one again. */
export const PUT = route('PUT /api/v1/account/mail/[workflow]', async ({ actor, params: { workflow }, json }) => {
  const { gathered } = objectOf(await json())
  const { email } = actor
  if (!email) throw new Problem(422, 'Not valid', 'Mail comes to people; a token is none.')
  if (typeof gathered !== 'boolean') throw new Problem(422, 'Not valid', 'Give gathered: true for digests, false for one mail each.')
  const row = await readWorkflowRow(pool(), workflow)
  if (!row || (gathered && !row.live?.limits?.mayGather)) throw new Problem(404, 'Not found', `There is no workflow ${workflow} whose mail one may have gathered.`)
  const at = await now()
  await transaction(pool(), (db) => writeSay(db, row.id, email, gathered ? 'digest' : null, at))
  return { workflow, gathered }
})
