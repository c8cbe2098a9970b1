import { pool } from '@/app/_server/environment'
import { Problem } from '@/app/_server/problem'
import { requireProof, route } from '@/app/_server/route'
import { webStream } from '@/app/_server/web-stream'
import { isAddress } from '@/core/recipients/address'
import { personalFile } from '@/engine/personal'
import { transaction } from '@/store/database'
import { erasePersonal } from '@/store/personal/erase'
import { countPersonal, identityOf, readPersonal } from '@/store/personal/find'
import { readSchema } from '@/store/tables'

function addressOf(given: string): string {
  if (!isAddress(given)) throw new Problem(422, 'Not valid', `${JSON.stringify(given)} is no e-mail address.`)
  return given
}

/** All that is kept of an address, texts of mail included, as a file written as it is read: of a person here, or of somebody outside. With `count` how much mail and how many runs. */
export const GET = route('GET /api/v1/people/[email]/personal', async ({ actor, params, query, inTurn }) => {
  requireProof(actor)
  const address = addressOf(params.email)
  return inTurn(async () => {
    const found = await readPersonal(pool(), await readSchema(pool()), address)
    const who = identityOf(address, found.person)
    if (query.get('count') === 'true') return { ...found, ...(await countPersonal(pool(), who)) }
    return new Response(webStream(personalFile(pool(), found, who)), {
      headers: {
        'content-type': 'application/json; charset=utf-8',
        'content-disposition': `attachment; filename*=UTF-8''${encodeURIComponent(address)}.json`,
        'cache-control': 'no-store',
      },
    })
  })
})

/** Erases it; with `records` the fields of records that hold the address, and what mail to others says of them, too. */
export const DELETE = route('DELETE /api/v1/people/[email]/personal', async ({ actor, params, query, inTurn }) => {
  requireProof(actor)
  const address = addressOf(params.email)
  if (actor.email?.toLowerCase() === address.toLowerCase()) throw new Problem(409, 'Not allowed', 'Another administrator erases what is kept of you.')
  return inTurn(() => transaction(pool(), async (db) => erasePersonal(db, await readSchema(db), address, query.get('records') === 'true')))
})
