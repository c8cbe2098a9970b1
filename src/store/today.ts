import { many, one, type Queryable } from './database'
import { IS_GOT, MAIL } from './limits/counted-mail'

/** What became of runs, mail and notices that are not done, since a moment. */
export interface Tally {
  readonly failed: number
  /** Messages that are to go as soon as they can. */
  readonly waiting: number
  /** Notices for channels that are. */
  readonly notices: number
  /** Messages and notices that limits keep back. */
  readonly held: number
}

/** How much mail was sent, to how many addresses, of how many changes; the slowest in milliseconds from save to the server's acceptance. */
export interface Reach {
  readonly sent: number
  readonly people: number
  readonly slowest: number | null
  readonly changes: number
}

/** Whether a message was not held on purpose, and is of no run that was run late on purpose. */
const ON_TIME = 'held_for is null and not exists (select from rappel.run r where r.id = message.run and r.late)'

/** What failed since a moment, and what waits or is held. */
export function readTally(db: Queryable, since: Date): Promise<Tally> {
  return one<Tally>(
    db,
    `select (select count(*) from rappel.message where state = 'failed' and finished_at >= $1)
              + (select count(*) from rappel.notice where state = 'failed' and finished_at >= $1)
              + (select count(*) from rappel.run where state = 'failed' and at >= $1) as failed,
            (select count(*) from rappel.message where state = 'queued') + (select count(*) from rappel.message where state = 'sending') as waiting,
            (select count(*) from rappel.notice where state = 'queued') as notices,
            (select count(*) from rappel.message where state = 'held') + (select count(*) from rappel.notice where state = 'held') as held`,
    [since],
  )
}

/** How much was sent since a moment, and how far, of how many changes. */
export function readReach(db: Queryable, since: Date): Promise<Reach> {
  return one<Reach>(
    db,
    `select (select count(*) from rappel.message where state = 'sent' and finished_at >= $1) as sent,
            (select count(distinct rappel.folded(a.address)) from (select distinct r.address from rappel.message m join rappel.message_recipient r on r.message = m.id
                                                                    where m.finished_at >= $1 and r.state = 'sent') a) as people,
            (select max(extract(epoch from finished_at - changed_at) * 1000)::float from rappel.message
              where state = 'sent' and attempt = 1 and finished_at >= $1 and ${ON_TIME}) as slowest,
            (select coalesce(sum((data ->> 'handled')::int), 0) from rappel.sample where at >= $1) as changes`,
    [since],
  )
}

export interface FailedRow {
  readonly run: number | null
  readonly message: number | null
  readonly notice: number | null
  /** Null for mail of several, such as a digest. */
  readonly workflow: string | null
  readonly title: string
  readonly reason: string
  readonly at: Date
}

/** What failed since a moment, newest first: runs, messages with the address and what the server said, and notices with the channel and what it said. */
export function listFailed(db: Queryable, since: Date, limit: number): Promise<FailedRow[]> {
  return many<FailedRow>(
    db,
    `select * from (
       select r.id as run, null::bigint as message, null::bigint as notice, w.name as workflow, r.title, r.error as reason, r.at
         from rappel.run r join rappel.workflow w on w.id = r.workflow where r.state = 'failed' and r.at >= $1
       union all
       select m.run, m.id, null, w.name, m.subject,
              (select string_agg(r.address || ': ' || r.reply, '; ') from rappel.message_recipient r where r.message = m.id and r.state = 'failed'), m.finished_at
         from rappel.message m left join rappel.workflow w on w.id = m.workflow where m.state = 'failed' and m.finished_at >= $1
       union all
       select n.run, null, n.id, w.name, coalesce(nullif(n.title, ''), n.channel), n.channel || ': ' || coalesce(n.last_reply, ''), n.finished_at
         from rappel.notice n join rappel.workflow w on w.id = n.workflow where n.state = 'failed' and n.finished_at >= $1) f
     order by at desc limit $2`,
    [since, limit],
  )
}

export interface WaitingRow {
  readonly address: string
  readonly messages: number
  readonly reply: string | null
  readonly next: Date
  readonly attempts: number
  readonly run: number | null
}

/** Mail that was tried and waits to be tried again, by address. */
export function listWaiting(db: Queryable, limit: number): Promise<WaitingRow[]> {
  return many<WaitingRow>(
    db,
    `select r.address, count(*) as messages, max(m.last_reply) as reply, min(m.next_at) as next, max(m.attempt) as attempts, max(m.run) as run
       from rappel.message m join rappel.message_recipient r on r.message = m.id and r.state = 'open'
      where m.state = 'queued' and m.attempt > 0
      group by r.address order by count(*) desc limit $1`,
    [limit],
  )
}

/** How often a workflow fired in a while, and when it did so first, in order. */
export interface FiringsRow {
  readonly workflow: string
  readonly count: number
  readonly first: readonly Date[]
}

/** How often each workflow fired since a moment, in whiles of so many seconds each around whose middles it is rounded, with the first few times of each. */
export function listFirings(db: Queryable, since: Date, seconds: number, few: number): Promise<FiringsRow[]> {
  return many<FiringsRow>(
    db,
    `with fired as materialized (
       select workflow, count(*) as count, (array_agg(changed_at order by id))[1:$3] as first from rappel.run
        where at >= $1 and changed_at >= $1 group by workflow, round(extract(epoch from changed_at - $1) / $2::float8))
     select w.name as workflow, f.count, f.first from fired f join rappel.workflow w on w.id = f.workflow order by f.first`,
    [since, seconds, few],
  )
}

/** To whom most mail went since a moment: by name where a person is known, else by address. A digest is one mail, and what waits is none. */
export function listMostWritten(db: Queryable, since: Date, limit: number): Promise<{ address: string; name: string; messages: number }[]> {
  return many(
    db,
    `with written as materialized (select r.address, count(*) as messages from rappel.message m join rappel.message_recipient r on r.message = m.id
                                    where m.finished_at >= $1 and r.state = 'sent' group by 1),
          counted as materialized (select rappel.folded(address) as address, sum(messages)::bigint as messages from written group by 1)
     select c.address, coalesce(p.name, c.address) as name, c.messages
       from (select * from counted order by messages desc, address limit $2) c left join rappel.person p on rappel.folded(p.email) = c.address order by c.messages desc, 2`,
    [since, limit],
  )
}

/** A workflow and the person it wrote to most. */
export interface NoisyRow {
  readonly workflow: string
  readonly name: string
  readonly messages: number
  /** The most that came in one hour. */
  readonly anHour: number
}

/** The workflows that wrote most to one person since a moment, with that person; only those that wrote at least twice. */
export function listNoisy(db: Queryable, since: Date, limit: number): Promise<NoisyRow[]> {
  return many<NoisyRow>(
    db,
    `with got as materialized (select m.workflow, rappel.folded(r.address) as address, date_trunc('hour', m.changed_at) as hour, ${MAIL} as mail
                                  from rappel.message m join rappel.message_recipient r on r.message = m.id
                                 where m.created_at >= $1 and m.workflow is not null and ${IS_GOT}),
          each as (select workflow, address, count(distinct mail)::int as messages from got group by 1, 2 having count(distinct mail) > 1),
          most as (select distinct on (workflow) * from each order by workflow, messages desc, address),
          hourly as (select workflow, address, count(distinct mail)::int as messages from got join most using (workflow, address) group by workflow, address, hour),
          peak as (select workflow, address, max(messages) as messages from hourly group by 1, 2)
     select w.name as workflow, coalesce(p.name, most.address) as name, most.messages, peak.messages as "anHour"
       from most join peak using (workflow, address) join rappel.workflow w on w.id = most.workflow left join rappel.person p on rappel.folded(p.email) = most.address
      order by most.messages desc, w.name limit $2`,
    [since, limit],
  )
}

/** Milliseconds from save to acceptance of messages that went at the first attempt since a moment. */
export async function listLatencies(db: Queryable, since: Date): Promise<number[]> {
  const rows = await many<{ ms: number }>(
    db,
    `select greatest(1, extract(epoch from finished_at - changed_at) * 1000)::float as ms from rappel.message where state = 'sent' and attempt = 1 and finished_at >= $1 and ${ON_TIME} order by finished_at desc limit 2000`,
    [since],
  )
  return rows.map((r) => r.ms)
}

export interface WorkflowTally {
  readonly workflow: number
  readonly runs: number
  readonly messages: number
  readonly failed: number
  readonly last: Date | null
}

/** Whether a message is a mail that went, is going, or could not; what was gathered is in a digest, and what is held may be called off. */
const IS_MAIL = `state in ('queued', 'sending', 'sent', 'failed')`

/** Runs, mail and failures of each workflow since a moment, and when it last fired. A digest is one mail of each workflow that it gathers from. */
export function tallyWorkflows(db: Queryable, since: Date): Promise<WorkflowTally[]> {
  return many<WorkflowTally>(
    db,
    `with runs as (select workflow, count(*) as n, count(*) filter (where state = 'failed') as failed from rappel.run where at >= $1 group by workflow),
          mail as (select workflow, count(*) filter (where ${IS_MAIL}) as n, count(*) filter (where state = 'failed') as failed from rappel.message where created_at >= $1 group by workflow),
          notices as (select workflow, count(*) as failed from rappel.notice where state = 'failed' and created_at >= $1 group by workflow),
          digests as (select m.workflow, count(distinct r.digest) as n from rappel.message m join rappel.message_recipient r on r.message = m.id
                       where m.state = 'gathered' and m.created_at >= $1 group by m.workflow)
     select w.id as workflow, coalesce(runs.n, 0) as runs, coalesce(mail.n, 0) + coalesce(digests.n, 0) as messages, coalesce(runs.failed, 0) + coalesce(mail.failed, 0) + coalesce(notices.failed, 0) as failed,
            (select r.at from rappel.run r where r.workflow = w.id order by r.id desc limit 1) as last
       from rappel.workflow w left join runs on runs.workflow = w.id left join mail on mail.workflow = w.id left join notices on notices.workflow = w.id left join digests on digests.workflow = w.id`,
    [since],
  )
}

/** When a workflow's present stretch began. */
export async function readStretchStarts(db: Queryable): Promise<Map<number, Date>> {
  const rows = await many<{ workflow: number; from_at: Date }>(db, 'select workflow, from_at from rappel.stretch where to_snapshot is null')
  return new Map(rows.map((r) => [r.workflow, r.from_at]))
}

/** How many times a workflow fired and how many messages and notices came of it, ever, a digest as one. */
export function countOutcome(db: Queryable, workflow: number): Promise<{ firings: number; messages: number; notices: number }> {
  return one(
    db,
    `select (select count(*) from rappel.run where workflow = $1) as firings,
            (select count(*) from rappel.message where workflow = $1 and ${IS_MAIL})
              + (select count(distinct r.digest) from rappel.message m join rappel.message_recipient r on r.message = m.id where m.workflow = $1 and m.state = 'gathered') as messages,
            (select count(*) from rappel.notice where workflow = $1 and state not in ('held', 'cancelled')) as notices`,
    [workflow],
  )
}

/** How many runs each workflow had on each of the last days, the oldest first: by name. */
export async function dailyRuns(db: Queryable, days: number, zone: string): Promise<Map<string, number[]>> {
  const rows = await many<{ name: string; ago: number; runs: number }>(
    db,
    `select w.name, (now() at time zone $2)::date - (r.at at time zone $2)::date as ago, count(*) as runs
       from rappel.run r join rappel.workflow w on w.id = r.workflow
      where r.at >= now() - make_interval(days => $1::int + 1) group by 1, 2`,
    [days, zone],
  )
  const byName = new Map<string, number[]>()
  for (const { name, ago, runs } of rows) {
    const list = byName.get(name) ?? new Array<number>(days).fill(0)
    if (ago >= 0 && ago < days) list[days - 1 - ago] = runs
    byName.set(name, list)
  }
  return byName
}
