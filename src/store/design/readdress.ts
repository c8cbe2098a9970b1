import { recipientKey } from '@/core/limits/gate'
import { withAddresses } from '@/core/workflow/rename/thing'
import { many, type Queryable, touch } from '../database'

/**
 * Has what is kept by an address go to another: mail that waits, also what is gathered for a digest, and where replies to it go; what whoever has it asked of workflows; when it was written to last,
 * for spacing; and where it stands among a group's addresses. What was sent stays as it was sent.
 */
export async function readdress(db: Queryable, from: string, to: string): Promise<void> {
  await readdressMail(db, from, to)
  if (recipientKey(from) !== recipientKey(to)) await readdressWishes(db, from, to)
  for (const { name, addresses } of await groupsWith(db, from))
    await touch(db, 'update rappel.person_group set addresses = $2 where name = $1', [name, withAddresses(addresses, { thing: 'person', from, to })])
}

/** Mail that waits is held fast first, so that none leaves for the one and is kept as sent to the other; to whom it goes already it goes once. */
async function readdressMail(db: Queryable, from: string, to: string): Promise<void> {
  await db.query(
    `select from rappel.message m where m.state in ('queued', 'held') and m.id in (select r.message from rappel.message_recipient r where rappel.folded(r.address) = rappel.folded($1) and r.state = 'open')
      order by m.id for update`,
    [from],
  )
  const waits = `m.id = r.message and m.state in ('queued', 'held') and r.state = 'open' and rappel.folded(r.address) = rappel.folded($1)`
  await touch(
    db,
    `delete from rappel.message_recipient r using rappel.message m
      where ${waits} and exists (select from rappel.message_recipient o where o.message = r.message and o.position <> r.position and rappel.folded(o.address) = rappel.folded($2))`,
    [from, to],
  )
  await touch(db, `update rappel.message_recipient r set address = $2 from rappel.message m where ${waits}`, [from, to])
  await touch(
    db,
    `update rappel.message set reply_to = jsonb_set(reply_to, '{address}', to_jsonb($2::text)) where state in ('queued', 'held') and rappel.folded(reply_to ->> 'address') = rappel.folded($1)`,
    [from, to],
  )
}

async function readdressWishes(db: Queryable, from: string, to: string): Promise<void> {
  await touch(
    db,
    `with was as (delete from rappel.own_say where address = rappel.folded($1) returning workflow, say, at)
     insert into rappel.own_say (workflow, address, say, at) select workflow, rappel.folded($2), say, at from was
     on conflict (workflow, address) do update set say = excluded.say, at = excluded.at where own_say.say <> 'stop'`,
    [from, to],
  )
  await touch(
    db,
    `with was as (delete from rappel.passed where key = $1 returning workflow, at, run)
     insert into rappel.passed as p (workflow, key, at, run) select workflow, $2, at, run from was
     on conflict (workflow, key) do update set at = excluded.at, run = excluded.run where p.at < excluded.at`,
    [recipientKey(from), recipientKey(to)],
  )
}

/** The groups among whose addresses one stands. */
export const groupsWith = (db: Queryable, address: string): Promise<{ name: string; addresses: string[] }[]> =>
  many(db, 'select name, addresses from rappel.person_group where rappel.folded($1) in (select rappel.folded(btrim(a)) from unnest(addresses) a) order by name', [address.trim()])
