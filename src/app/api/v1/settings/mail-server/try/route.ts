import { pool } from '@/app/_server/environment'
import { givenServer, serverNow } from '@/app/_server/mail-server'
import { Problem } from '@/app/_server/problem'
import { requireProof, route } from '@/app/_server/route'
import { isAddress } from '@/core/recipients/address'
import { tryServer } from '@/engine/delivery/try-server'
import { readSettings } from '@/store/settings'

/** Sends one mail by a server that is given, or by the one that is used now, and answers what the server said. */
export const POST = route('POST /api/v1/settings/mail-server/try', async ({ actor, body, inTurn }) => {
  requireProof(actor)
  const { server, to = actor.email ?? '' } = await body()
  if (!isAddress(to)) throw new Problem(422, 'Not valid', 'Say in `to` which address the mail is to go to.')
  const [through, { name, sender }] = await Promise.all([server ? givenServer(pool(), server) : serverNow(pool()), readSettings(pool())])
  return inTurn(() =>
    tryServer(through, {
      from: sender,
      to,
      subject: `${name}: mail goes out`,
      text: `This mail was sent by Rappel to try the mail server ${through.host}. If you read it, alerts can reach you.`,
    }),
  )
})
