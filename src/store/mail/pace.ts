import { one, type Queryable, touch } from '../database'

/** Seconds of a server's rate that may be used at once. */
const BURST = 2

/** How many of so many messages a server may be given now that takes `perMinute`; those are then used up, for all who deliver. */
export async function takePace(db: Queryable, server: string, perMinute: number, wanted: number): Promise<number> {
  const { allowed } = await one<{ allowed: number }>(
    db,
    `with made as (insert into rappel.mail_pace (server, used_until) values ($1, clock_timestamp() - make_interval(secs => ${BURST})) on conflict do nothing),
          held as materialized (select greatest(used_until, clock_timestamp() - make_interval(secs => ${BURST})) as used_until from rappel.mail_pace where server = $1 for update),
          given as (select least($3::int, greatest(0, floor(extract(epoch from clock_timestamp() - used_until) * $2::int / 60)))::int as allowed, used_until from held),
          used as (update rappel.mail_pace p set used_until = g.used_until + make_interval(secs => g.allowed * 60.0 / $2::int) from given g where p.server = $1)
     select coalesce((select allowed from given), 0)::int as allowed`,
    [server, perMinute, wanted],
  )
  return allowed
}

/** Gives back what was not used. */
export async function giveBackPace(db: Queryable, server: string, perMinute: number, unused: number): Promise<void> {
  if (unused > 0)
    await touch(db, 'update rappel.mail_pace set used_until = used_until - make_interval(secs => $3::int * 60.0 / $2::int) where server = $1', [server, perMinute, unused])
}
