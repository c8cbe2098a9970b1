import { readBare } from './bare'
import { many, one, type Queryable } from './database'

/** The parts of a worker that do something all the time. */
export type PartName = 'changes' | 'mail'

/** Seconds that anything may wait, or a part stand still, before something is wrong. */
export const TOO_LONG = 60

/** What waits. Ages in seconds, null where nothing waits. */
export interface Waits {
  readonly backlog: number
  readonly oldestChange: number | null
  readonly oldestMessage: number | null
  readonly oldestRun: number | null
  /** What the clock should have set off: a wait that is over, a time of a timetable, or one that is not gone through. */
  readonly oldestMoment: number | null
}

/** When each part last gave a sign that it goes round, and which tables are not watched as they should be. */
export interface Upkeep {
  /** The labels of tables whose changes are not recorded, for somebody has taken away or switched off what records them. */
  readonly uncaptured: readonly string[]
  /** Attached tables that replication writes and whose owner has not let triggers fire for it, with what is to be run. */
  readonly unreplicated: readonly { readonly label: string; readonly sql: string }[]
  /** Attached tables that cannot be read or watched, with why, and those with statements that could not be recorded for a minute, with how many and why. */
  readonly attached: readonly { readonly label: string; readonly trouble: string | null; readonly unlogged: number; readonly error: string | null }[]
  /** Seconds since each part's last sign; what never gave one is not in it. */
  readonly parts: Readonly<Partial<Record<PartName, number>>>
}

/** How things stand. */
export type Standing = Waits & Upkeep

/** Notes that a part goes round. */
export async function giveSign(db: Queryable, part: PartName): Promise<void> {
  await db.query('insert into rappel.part (name, at) values ($1, now()) on conflict (name) do update set at = now()', [part])
}

/** When the oldest change was made of those at the head of each shard; null where none waits. The logs of other tables are not opened. */
async function oldestQueued(db: Queryable): Promise<Date | null> {
  const heads = await many<{ tbl: string; ids: number[] }>(
    db,
    `select h.tbl, array_agg(h.change_id) as ids
       from rappel.busy_shards() b (shard) cross join lateral (select q.tbl, q.change_id from rappel.queue q where q.shard = b.shard order by q.change_id limit 1) h group by h.tbl`,
  )
  const times: number[] = []
  for (const { tbl, ids } of heads) times.push(...(await readBare(db, ids, tbl)).map((row) => row.at.getTime()))
  return times.length ? new Date(Math.min(...times)) : null
}

/** How things stand, by the database's clock. */
export async function readStanding(db: Queryable): Promise<Standing> {
  return { ...(await readWaits(db)), ...(await readUpkeep(db)) }
}

/** What waits, by the database's clock. Takes long while a transaction stays open for hours: it passes over all that was handled meanwhile. */
export async function readWaits(db: Queryable): Promise<Waits> {
  const oldest = await oldestQueued(db)
  return one(
    db,
    `select (select coalesce(sum(case when last is null then 1 else greatest(1, (last - change_id + 1) / rappel.shards_with(shard)) end), 0) from rappel.queue)::bigint as backlog,
            extract(epoch from now() - $1::timestamptz)::float as "oldestChange",
            (select extract(epoch from now() - min(m.next_at))::float from rappel.message m where m.state = 'queued' and m.next_at <= now()) as "oldestMessage",
            (select extract(epoch from now() - min(r.next_at))::float from rappel.run r where r.state = 'waiting' and r.next_at <= now()) as "oldestRun",
            (select extract(epoch from now() - min(d.at))::float
               from (select min(due_at) as at from rappel.stay where outcome is null union all select min(next_at) from rappel.timetable
                     union all select min(started_at) from rappel.tick where done_at is null) d where d.at <= now()) as "oldestMoment"`,
    [oldest],
  )
}

/** When each part last gave a sign, and which tables are not watched as they should be, by the database's clock. */
export async function readUpkeep(db: Queryable): Promise<Upkeep> {
  const signs = await many<{ name: PartName; age: number }>(db, 'select name, extract(epoch from now() - at)::float as age from rappel.part')
  const uncaptured = await listUncaptured(db)
  const attached = await many<Standing['attached'][number]>(
    db,
    `select t.label, a.trouble, coalesce(u.n, 0)::int as unlogged, u.error from rappel.attached a join rappel.table_def t on t.name = a.tbl
       left join lateral (select count(*) as n, min(error) as error from rappel.unlogged u where u.tbl = a.tbl and u.at < clock_timestamp() - interval '1 minute') u on true
      where a.trouble is not null or u.n > 0 order by t.position`,
  )
  const unreplicated = await many<Standing['unreplicated'][number]>(
    db,
    `select t.label, s.sql from rappel.attached a join rappel.table_def t on t.name = a.tbl cross join lateral (select rappel.replication_sql(a.tbl) as sql) s
      where exists (select from pg_subscription_rel) and a.trouble is null and s.sql is not null order by t.position`,
  )
  return { attached, unreplicated, uncaptured: uncaptured.map((t) => t.label), parts: Object.fromEntries(signs.map((s) => [s.name, s.age])) }
}

/** The labels of tables whose changes are not all recorded, as a trigger is missing or switched off. Of tables of Rappel's own, which have one part, they are counted; attached ones are looked at part by part. */
function listUncaptured(db: Queryable): Promise<{ label: string }[]> {
  return many(
    db,
    `select t.label from rappel.table_def t
       left join pg_class c on c.relnamespace = 'data'::regnamespace and c.relname = t.name and c.relkind = 'r'
       left join (select tgrelid, count(*) as n from pg_trigger where tgname = any('{rappel_capture_insert,rappel_capture_update,rappel_capture_delete,rappel_capture_truncate}') and tgenabled in ('O', 'A') group by 1) g
         on g.tgrelid = c.oid
      where case when c.oid is null then rappel.is_uncaptured(t.name) else coalesce(g.n, 0) < 4 end order by t.position`,
  )
}
