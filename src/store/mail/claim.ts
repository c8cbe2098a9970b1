import { manyPrepared, one, type Queryable } from '../database'
import type { MessageContent } from './content'

export interface OpenRecipient {
  readonly position: number
  readonly part: 'to' | 'cc' | 'bcc'
  readonly address: string
  readonly name: string | null
  readonly state: 'open' | 'sent' | 'failed'
}

/** A message as it is handed to delivery: this attempt's number fences every exit. */
export interface ClaimedMessage extends MessageContent {
  readonly id: number
  readonly attempt: number
  /** Since when it is tried: its first attempt, or the first after it was tried again by hand. */
  readonly tried_since?: Date
  /** When what it tells of was saved. */
  readonly changed_at?: Date
  /** The trace of that save (W3C Trace Context); null where it has none. */
  readonly trace?: string | null
  /** The name of the workflow that it is of; null where it is of none or of several. */
  readonly workflow?: string | null
  /** Whether another stood behind it when it was claimed, which waits for it to be done with. */
  readonly is_awaited?: boolean
  readonly recipients: readonly OpenRecipient[]
}

/** How old what is due may be to count as fresh. */
const FRESH = `interval '1 minute'`

/** What the queue has to be claimed, but for what is urgent: the predicate of its index, written so that no other is taken, for one by time would be read anew for each workflow (migration 051). */
const WAITS = `state || '' = 'queued' and behind is null and priority <> 'high'`

/** Workflows that one claim looks at. */
const FLOWS = 20

/** Of what waits, how many times as much as is claimed a near claim looks at. */
const LOOKED_AT = 4

/** What became due before the time at which messages are looked for now waits for less than that, or for the next time at which that is found. */
const MARGIN = `interval '1 minute'`

/** Before all that can be due. */
export const EVER = new Date(0)

/** Messages claimed, and where the next claim goes on among the workflows. */
export interface Claim {
  readonly messages: ClaimedMessage[]
  readonly after: number
}

const COLUMNS = `c.id, c.attempt, c.tbl, c.rec, c.message_id, c.sender, c.reply_to, c.subject, c.html, c.body, c.priority, c.attachments, c.thread, c.stop_link, c.changed_at, c.created_at, c.tried_since, c.trace,
            (select w.name from rappel.workflow w where w.id = c.workflow) as workflow,
            exists (select from rappel.message b where b.behind = c.id) as is_awaited,
            (select jsonb_agg(jsonb_build_object('position', r.position, 'part', r.part, 'address', r.address, 'name', r.name, 'state', r.state) order by r.position)
               from rappel.message_recipient r where r.message = c.id) as recipients`

const CLAIMED = `claimed as (update rappel.message m set state = 'sending', worker = $1::int, attempt = attempt + 1, tried_since = coalesce(m.tried_since, $3::timestamptz) from picked where m.id = picked.id returning m.*)`

/** What was claimed of what is near, and whether more waits there than was looked at. */
export interface NearClaim {
  readonly messages: ClaimedMessage[]
  readonly isMore: boolean
}

/**
 * Claims messages that became due after a time, the urgent first, then in turn by workflow: what there is as long as nothing gathers, found without passing over what was sent before. As long
 * as some transaction is open that is older, the index still holds all that (PostgreSQL, "Routine Vacuuming"), and a claim of all would read it each time.
 */
export async function claimNear(db: Queryable, worker: number, limit: number, now: Date, from: Date): Promise<NearClaim> {
  const claimed = await manyPrepared<ClaimedMessage & { looked: number }>(
    db,
    'claim near messages',
    `with near as materialized (
            select id, workflow, priority, next_at from rappel.message
             where state = 'queued' and behind is null and next_at <= $3::timestamptz and next_at > $4::timestamptz order by next_at, id limit ${LOOKED_AT} * $2::int for update skip locked),
          picked as (select id from (select id, priority, next_at, row_number() over (partition by workflow order by next_at, id) as turn from near) n order by priority = 'high' desc, turn, next_at, id limit $2::int),
          ${CLAIMED}
     select ${COLUMNS}, (select count(*) from near) as looked from claimed c order by c.id`,
    [worker, limit, now, from],
  )
  return { messages: claimed.map(({ looked: _, ...message }) => message), isMore: (claimed[0]?.looked ?? 0) >= LOOKED_AT * limit }
}

/** A time before which nothing is due that waits, but for what transactions write that are open for a minute by now, or write as of then: found from the bottom, past all that was sent while some transaction was open. */
export async function findMailFloor(db: Queryable, now: Date): Promise<Date> {
  const { at } = await one<{ at: Date }>(
    db,
    `select least((select m.next_at - interval '1 millisecond' from rappel.message m where m.state = 'queued' order by m.next_at, m.id limit 1), $1::timestamptz - ${MARGIN}) as at`,
    [now],
  )
  return at
}

/**
 * Claims messages that are due; the attempt rises in the claim. What is urgent comes first, with a quarter left to the rest; then each workflow with mail gets its turn, from `after`
 * on, half of it for what became due in the last minute and half for what waits longer: neither a backlog nor a storm keeps the others waiting. Nothing is looked for that was due at `from`.
 */
export async function claimMessages(db: Queryable, worker: number, limit: number, now: Date, after = -1, from = EVER): Promise<Claim> {
  const claimed = await manyPrepared<ClaimedMessage & { last: number | null }>(
    db,
    'claim messages',
    `with
       flows as materialized (
         select f.flow from (select 0::bigint as flow union all select id from rappel.workflow order by 1) f
          cross join lateral (select from rappel.message where ${WAITS} and coalesce(workflow, 0) = f.flow and next_at <= $3::timestamptz and next_at > $5::timestamptz limit 1) waits
          where f.flow > $4::bigint order by f.flow limit ${FLOWS}),
       each as materialized (select greatest(2, ceil(2.0 * $2::int / greatest(1, count(*))))::int as most from flows),
       high as (
         select id, 0 as lane, row_number() over (order by next_at, id) as turn from (
           select id, next_at from rappel.message where state = 'queued' and behind is null and priority = 'high' and next_at <= $3::timestamptz and next_at > $5::timestamptz
            order by next_at, id limit greatest(1, $2::int * 3 / 4) for update skip locked) h),
       fresh as (
         select d.id, 1 as lane, row_number() over (partition by f.flow order by d.next_at, d.id) as turn from flows f cross join lateral (
           select id, next_at from rappel.message where ${WAITS} and coalesce(workflow, 0) = f.flow and next_at <= $3::timestamptz and next_at > greatest($3::timestamptz - ${FRESH}, $5::timestamptz)
            order by next_at, id limit (select most from each) for update skip locked) d),
       old as (
         select d.id, 2 as lane, row_number() over (partition by f.flow order by d.next_at, d.id) as turn from flows f cross join lateral (
           select id, next_at from rappel.message where ${WAITS} and coalesce(workflow, 0) = f.flow and next_at <= $3::timestamptz - ${FRESH} and next_at > $5::timestamptz
            order by next_at, id limit (select most from each) for update skip locked) d),
       picked as (select id from (select * from high union all select * from fresh union all select * from old) candidate order by lane = 0 desc, turn, lane, id limit $2::int),
       ${CLAIMED}
     select ${COLUMNS},
            (select case when count(*) = ${FLOWS} then max(flow) end from flows) as last
       from claimed c order by c.id`,
    [worker, limit, now, after, from],
  )
  const wasPartOnly = claimed.length === 0 && after >= 0
  if (wasPartOnly) return claimMessages(db, worker, limit, now, -1, from)
  return { messages: claimed.map(({ last: _, ...message }) => message), after: claimed[0]?.last ?? -1 }
}

/** When the next message becomes due of those that are not yet; null where there is none. */
export async function nextDue(db: Queryable, now: Date): Promise<Date | null> {
  const [row] = await manyPrepared<{ at: Date | null }>(
    db,
    'next message',
    `select next_at as at from rappel.message where state = 'queued' and behind is null and next_at > $1 order by next_at, id limit 1`,
    [now],
  )
  return row?.at ?? null
}
