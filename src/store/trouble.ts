import type { Failed, Failures } from '@/core/message/trouble'
import { unseal } from './access/sealed'
import { many, maybeOne, one, type Queryable, touch } from './database'

/** Whether a person `p` is told by mail when something is wrong: an editor or administrator who asked for it, and is active. */
const IS_TOLD = `p.active and p.role in ('administrator', 'editor') and exists (select from rappel.told t where t.person = p.id)`

/** Who is told and can be written to, by name. */
export function listTold(db: Queryable): Promise<{ address: string; name: string }[]> {
  return many(
    db,
    `select p.email as address, p.name from rappel.person p
      where ${IS_TOLD} and not exists (select from rappel.suppression s where s.address = rappel.folded(p.email)) order by p.name, p.id`,
  )
}

/** Whether anybody is told, and whether a person is. */
export function readTold(db: Queryable, person: number | null): Promise<{ anybody: boolean; person: boolean }> {
  return one(db, `select exists (select from rappel.person p where ${IS_TOLD}) as anybody, exists (select from rappel.person p where p.id = $1 and ${IS_TOLD}) as person`, [person])
}

/** Tells a person from now on, or no more. */
export async function tellPerson(db: Queryable, person: number, told: boolean): Promise<void> {
  await touch(db, told ? 'insert into rappel.told (person) values ($1) on conflict do nothing' : 'delete from rappel.told where person = $1', [person])
}

/** When people were told last, and by which sums what they were told of is known; held until the transaction ends, or null where somebody else holds it. */
export function holdLastTold(db: Queryable): Promise<{ at: Date | null; standing: string[] } | null> {
  return maybeOne(db, 'select at, standing from rappel.trouble_told for update skip locked')
}

/** Notes when people were told last and of what, or only what of it stands still. */
export async function noteTold(db: Queryable, at: Date | null, standing: readonly string[]): Promise<void> {
  await touch(db, 'update rappel.trouble_told set at = coalesce($1, at), standing = $2', [at, standing])
}

/** For how many seconds the oldest failure has waited to be told; null where there is none. */
export async function oldestTrouble(db: Queryable): Promise<number | null> {
  return (await one<{ age: number | null }>(db, 'select extract(epoch from clock_timestamp() - min(at))::float as age from rappel.trouble')).age
}

/** Lets go of what there was to tell. */
export const dropTrouble = (db: Queryable): Promise<number> => touch(db, 'delete from rappel.trouble', [])

/** Takes what failed and is still to be told, a row a workflow; without what was mended, tried again or let go of meanwhile. */
export function takeTrouble(db: Queryable): Promise<Failures[]> {
  return many<Failures>(
    db,
    `with taken as (delete from rappel.trouble returning workflow, run, message, notice),
          runs as (select t.workflow, count(distinct r.id) as n, max(r.id) as last from taken t join rappel.run r on r.id = t.run where r.state = 'failed' group by t.workflow),
          mail as (select t.workflow, count(distinct m.id) as n, max(m.id) as last from taken t join rappel.message m on m.id = t.message where m.state = 'failed' group by t.workflow),
          given as (select t.workflow, count(distinct n.id) as n, max(n.id) as last from taken t join rappel.notice n on n.id = t.notice where n.state = 'failed' group by t.workflow)
     select w.name as workflow, coalesce(r.n, 0) as runs, coalesce(m.n, 0) as messages, coalesce(g.n, 0) as notices,
            (select jsonb_build_object('id', x.id, 'title', x.title, 'reason', coalesce(x.error, '')) from rappel.run x where x.id = r.last) as run,
            (select jsonb_build_object('subject', x.subject, 'run', x.run, 'reason',
                      coalesce((select string_agg(y.address || ': ' || y.reply, '; ') from rappel.message_recipient y where y.message = x.id and y.state = 'failed'), x.last_reply, ''))
               from rappel.message x where x.id = m.last) as message,
            (select jsonb_build_object('title', coalesce(nullif(x.title, ''), split_part(btrim(x.body), E'\\n', 1)), 'channel', coalesce(x.channel, ''), 'run', x.run, 'reason', coalesce(x.last_reply, ''))
               from rappel.notice x where x.id = g.last) as notice
       from (select workflow from runs union select workflow from mail union select workflow from given) k
       left join runs r on r.workflow is not distinct from k.workflow left join mail m on m.workflow is not distinct from k.workflow
       left join given g on g.workflow is not distinct from k.workflow left join rappel.workflow w on w.id = k.workflow
      order by w.name`,
  )
}

/** The name of the channel that is told what is wrong; null where none is. */
export async function readTroubleChannel(db: Queryable): Promise<string | null> {
  return (await one<{ channel: string | null }>(db, 'select channel from rappel.trouble_told')).channel
}

/** Tells a channel what is wrong from now on, or none; whether there is such a channel. */
export async function setTroubleChannel(db: Queryable, channel: string | null, now: Date): Promise<boolean> {
  const count = await touch(
    db,
    `update rappel.trouble_told set channel = $1, channel_at = null, channel_since = $2, channel_standing = case when channel is not distinct from $1 then channel_standing else '{}' end
      where $1::text is null or exists (select from rappel.channel where name = $1)`,
    [channel, now],
  )
  return count === 1
}

/** The channel that is told, when it was last, since when what failed is news to it, and what it knows; its secret is null where it cannot be opened here. Held until the transaction ends, or null. */
export async function holdChannelTold(db: Queryable): Promise<{ name: string; url: string; secret: string | null; at: Date | null; failedSince: Date; standing: string[] } | null> {
  const held = await maybeOne<{ name: string; url: string; secret: string; at: Date | null; failedSince: Date; standing: string[] }>(
    db,
    `select c.name, c.url, c.secret, t.channel_at as at, coalesce(t.channel_at, t.channel_since, now()) as "failedSince", t.channel_standing as standing
       from rappel.trouble_told t join rappel.channel c on c.name = t.channel for update of t skip locked`,
  )
  return held && { ...held, secret: unseal(held.secret) }
}

/** Notes when the channel was told last and of what, or only what of it stands still. */
export async function noteChannelTold(db: Queryable, at: Date | null, standing: readonly string[]): Promise<void> {
  await touch(db, 'update rappel.trouble_told set channel_at = coalesce($1, channel_at), channel_standing = $2', [at, standing])
}

/** How much failed since a moment, without trials and word of trouble. */
export function countFailedSince(db: Queryable, since: Date): Promise<Failed> {
  return one<Failed>(
    db,
    `select (select count(*) from rappel.run where state = 'failed' and trial is null and at > $1) as runs,
            (select count(*) from rappel.message where state = 'failed' and action <> 'trouble' and finished_at > $1) as messages,
            (select count(*) from rappel.notice where state = 'failed' and finished_at > $1) as notices`,
    [since],
  )
}
