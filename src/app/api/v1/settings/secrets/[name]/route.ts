import { pool } from '@/app/_server/environment'
import { Problem } from '@/app/_server/problem'
import { requireProof, route } from '@/app/_server/route'
import { rotateSecret } from '@/store/access/secrets'
import { transaction } from '@/store/database'

/** Replaces a secret that links are signed with; links that were sent before lead nowhere from then on. */
export const POST = route('POST /api/v1/settings/secrets/[name]', async ({ actor, params }) => {
  const { name } = params
  if (name !== 'why' && name !== 'account') throw new Problem(404, 'Not found', 'There are two secrets, why and account.')
  requireProof(actor)
  await transaction(pool(), (db) => rotateSecret(db, name))
  return new Response(null, { status: 204 })
})
