import { pool } from '@/app/_server/environment'
import { Problem } from '@/app/_server/problem'
import { requireProof, route } from '@/app/_server/route'
import { isAddress } from '@/core/recipients/address'
import { transaction } from '@/store/database'
import { erasePersonal, readPersonal } from '@/store/personal'
import { readSchema } from '@/store/tables'

function addressOf(given: string): string {
  if (!isAddress(given)) throw new Problem(422, 'Not valid', `${JSON.stringify(given)} is no e-mail address.`)
  return given
}

/** All that is kept of an address, texts of mail included: of a person here, or of somebody outside. */
export const GET = route('GET /api/v1/people/[email]/personal', async ({ actor, params }) => {
  requireProof(actor)
  return readPersonal(pool(), await readSchema(pool()), addressOf(params.email))
})

/** Erases it; with `records` the fields of records that hold the address too. */
export const DELETE = route('DELETE /api/v1/people/[email]/personal', async ({ actor, params, query }) => {
  requireProof(actor)
  const address = addressOf(params.email)
  if (actor.email?.toLowerCase() === address.toLowerCase()) throw new Problem(409, 'Not allowed', 'Another administrator erases what is kept of you.')
  return transaction(pool(), async (db) => erasePersonal(db, await readSchema(db), address, query.get('records') === 'true'))
})
