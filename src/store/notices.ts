import type { RecordId } from '@/core/values/tables'
import { seal, unseal } from './access/sealed'
import { many, manyPrepared, type Queryable, touch } from './database'
import { removeNamed } from './named'

/** A notice about to be given. */
export interface NewNotice {
  readonly run: number
  readonly workflow: number
  readonly channel: string | null
  readonly people: readonly number[]
  readonly title: string
  readonly body: string
  readonly tbl: string | null
  readonly rec: RecordId | null
  /** Until when it is held; null where nothing holds it. */
  readonly held_until?: Date | null
  readonly created_at: Date
}

/** Keeps notices; those for a channel are queued, those for people only are given at once. */
export async function queueNotices(db: Queryable, notices: readonly NewNotice[]): Promise<void> {
  if (notices.length === 0) return
  await touch(
    db,
    `insert into rappel.notice (run, workflow, channel, people, title, body, tbl, rec, state, next_at, created_at, finished_at, held_until)
     select run, workflow, channel, people, title, body, tbl, nullif(rec, 'null'), case when held_until is not null then 'held' when channel is null then 'sent' else 'queued' end, created_at, created_at,
            case when channel is null and held_until is null then created_at end, held_until
       from jsonb_to_recordset($1::jsonb) as n (run bigint, workflow bigint, channel text, people bigint[], title text, body text, tbl text, rec jsonb, held_until timestamptz, created_at timestamptz)`,
    [JSON.stringify(notices)],
  )
  await db.query(`select pg_notify('rappel_message', '')`)
}

export interface DueNotice {
  readonly id: number
  readonly event_id: string
  readonly channel: string
  readonly title: string
  readonly body: string
  readonly tbl: string | null
  readonly rec: RecordId | null
  readonly attempt: number
  readonly created_at: Date
  /** When it was tried first, or first since it was asked for again. */
  readonly since: Date
  readonly url: string | null
  /** Null where it cannot be opened: it was sealed on another machine, whose key is not here. */
  readonly secret: string | null
  readonly workflow: string
}

/** Notices that are being given to a channel. */
export interface Flying {
  readonly channel: string
  readonly n: number
}

/**
 * Claims channel notices that are due, so many for each channel as leave `most` of it flying, and holds them until a moment: whoever gives one says how it went before that, else it is due again.
 * Those about one record go one after the other, in their order.
 * The event's id is the same at every attempt, so that a channel can tell a repetition.
 */
export async function claimNotices(db: Queryable, most: number, flying: readonly Flying[], now: Date, until: Date): Promise<DueNotice[]> {
  const claimed = await manyPrepared<DueNotice>(
    db,
    'claim notices',
    `with waiting as materialized (select distinct channel from rappel.notice where state = 'queued' and next_at <= $2),
          rooms as (select w.channel, greatest(0, $1::int - coalesce(f.n, 0)) as room from waiting w left join unnest($4::text[], $5::int[]) f (channel, n) on f.channel = w.channel),
          due as (select n.id from rooms r cross join lateral (
                    select id from rappel.notice q where state = 'queued' and next_at <= $2 and channel = r.channel
                       and not exists (select from rappel.notice p where p.state = 'queued' and p.channel = q.channel and p.tbl = q.tbl and p.rec = q.rec and p.id < q.id)
                     order by next_at, id limit r.room for update skip locked) n),
          claimed as (update rappel.notice n set attempt = attempt + 1, next_at = $3, tried_since = coalesce(n.tried_since, $2) from due where n.id = due.id returning n.*)
     select c.id, c.event_id, c.channel, c.title, c.body, c.tbl, c.rec, c.attempt, c.created_at, c.tried_since as since, ch.url, ch.secret, w.name as workflow
       from claimed c join rappel.workflow w on w.id = c.workflow left join rappel.channel ch on ch.name = c.channel order by c.id`,
    [most, now, until, flying.map((f) => f.channel), flying.map((f) => f.n)],
  )
  return claimed.map((n) => ({ ...n, secret: n.secret && unseal(n.secret) }))
}

/** Ends an attempt to give a notice; fenced by the attempt. What stands behind one that is given again later, about the same record, is due no sooner: it need not be looked at meanwhile. */
export async function finishNotice(db: Queryable, id: number, attempt: number, state: 'sent' | 'queued' | 'failed', reply: string, nextAt: Date, now: Date): Promise<boolean> {
  const count = await touch(
    db,
    `with ended as (update rappel.notice set state = $3, last_reply = $4, next_at = $5, finished_at = case when $3 = 'queued' then null else $6::timestamptz end
                     where id = $1 and attempt = $2 and state = 'queued' returning id, channel, tbl, rec),
          behind as (update rappel.notice q set next_at = greatest(q.next_at, $5) from ended e
                      where $3 = 'queued' and q.state = 'queued' and q.channel = e.channel and q.tbl = e.tbl and q.rec = e.rec and q.id > e.id)
     select id from ended`,
    [id, attempt, state, reply, nextAt, now],
  )
  return count === 1
}

/** Every channel's name and address. */
export function listChannels(db: Queryable): Promise<{ name: string; url: string }[]> {
  return many(db, 'select name, url from rappel.channel order by name')
}

/** Makes a channel or changes its address and secret, which is kept sealed; without one it keeps the one it has. Whether it has any. */
export async function putChannel(db: Queryable, name: string, url: string, secret: string | null): Promise<boolean> {
  const count =
    secret === null
      ? await touch(db, 'update rappel.channel set url = $2 where name = $1', [name, url])
      : await touch(db, 'insert into rappel.channel (name, url, secret) values ($1, $2, $3) on conflict (name) do update set url = $2, secret = $3', [name, url, seal(secret)])
  await db.query('select rappel.next_generation()')
  return count === 1
}

/** Removes a channel; whether there was one. Notices that wait for it fail, saying so. */
export const removeChannel = (db: Queryable, name: string): Promise<boolean> => removeNamed(db, 'channel', name)
