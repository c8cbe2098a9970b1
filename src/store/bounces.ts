import { maybeOne, type Queryable, touch } from './database'

/** What a mail server said of a message to one address after it had taken it. */
export interface Bounce {
  readonly address: string
  readonly action: 'failed' | 'delayed'
  /** An enhanced status code such as 5.1.1 (RFC 3463). */
  readonly status: string
  readonly diagnostic: string
}

/** The message that a report is about, by its id or its Message-ID, with whom it went to; null where there is none. */
export function findBounced(db: Queryable, by: { readonly id: number } | { readonly messageId: string }): Promise<{ id: number; addresses: string[] } | null> {
  const where = 'id' in by ? 'm.id = $1::bigint' : 'm.message_id = $1::text'
  return maybeOne(
    db,
    `select m.id, array(select r.address from rappel.message_recipient r where r.message = m.id order by r.position) as addresses from rappel.message m where ${where}`,
    ['id' in by ? by.id : by.messageId],
  )
}

/** Keeps what came back of a message, once; where it did not arrive, its recipient and the message have failed. Whether it was news. */
export async function keepBounce(db: Queryable, message: number, { address, action, status, diagnostic }: Bounce, at: Date): Promise<boolean> {
  const isNew = await touch(db, 'insert into rappel.bounce (message, address, action, status, diagnostic, at) values ($1, $2, $3, $4, $5, $6) on conflict do nothing', [
    message,
    address.toLowerCase(),
    action,
    status,
    diagnostic,
    at,
  ])
  if (isNew === 0) return false
  if (action === 'failed') {
    const reply = `Came back: ${status} ${diagnostic}`.slice(0, 2_000)
    await touch(db, `update rappel.message_recipient set state = 'failed', reply = $3 where message = $1 and rappel.folded(address) = rappel.folded($2) and state = 'sent'`, [
      message,
      address,
      reply,
    ])
    await touch(db, `update rappel.message set state = 'failed', last_reply = $2, finished_at = $3 where id = $1 and state = 'sent'`, [message, reply, at])
  }
  return true
}
