import type { Pool } from 'pg'
import { many, one } from '@/store/database'
import { STAYS_SECONDS } from './watched'

/** One thing that was held against the book: how many there had to be and were, and what was wrong, none where all was right. */
export interface Count {
  readonly what: string
  readonly expected: number
  readonly found: number
  /** Too few, too many, or what else is wrong, counted. */
  readonly wrong: number
  readonly examples?: readonly unknown[]
}

/** What each workflow about a changed record had to fire for: a name and the lines of the book that it is for. */
const FIRES = `
  select 'created ' || kind as workflow, rec from soak.line where tbl = 'jobs' and op = 'INSERT' and kind < 'K16'
  union all select 'done ' || kind, rec from soak.line where tbl = 'jobs' and op = 'UPDATE' and kind < 'K10' and stage = 'Done' and was_stage is distinct from 'Done'
  union all select 'over ' || l.most, rec from soak.line, (values (500), (1000), (2000), (4000), (8000)) l (most)
    where tbl = 'jobs' and op <> 'DELETE' and amount > l.most and (was_amount is null or was_amount <= l.most)
  union all select 'deleted ' || kind, rec from soak.line where tbl = 'jobs' and op = 'DELETE' and kind < 'K05'
  union all select 'spaced', rec from soak.line where tbl = 'jobs' and op = 'INSERT' and kind = 'K17'
  union all select 'gathered', rec from soak.line where tbl = 'jobs' and op = 'INSERT' and kind = 'K18'
  union all select 'posted', rec from soak.line where tbl = 'jobs' and op = 'INSERT' and kind = 'K19'
  union all select 'noted', rec from soak.line where tbl = 'jobs' and op = 'INSERT' and kind = 'K19'
  union all select 'task', rec from soak.line where tbl = 'jobs' and op = 'UPDATE' and kind = 'K11' and stage = 'Done' and was_stage is distinct from 'Done'`

const RUNS = `select w.name as workflow, (r.rec #>> '{}')::bigint as rec from rappel.run r join rappel.workflow w on w.id = r.workflow`

/** Holds two lists with repetitions against each other: what the first has more often than the second, and the other way round. */
async function compare(pool: Pool, what: string, expected: string, found: string): Promise<Count[]> {
  const row = await one<{ expected: number; found: number; lost: number; doubled: number; examples: unknown[] | null }>(
    pool,
    `with e as (select x.*, count(*) as n from (${expected}) x group by workflow, rec), f as (select x.*, count(*) as n from (${found}) x group by workflow, rec),
          d as (select workflow, rec, coalesce(e.n, 0) as wanted, coalesce(f.n, 0) as got from e full join f using (workflow, rec))
     select coalesce(sum(wanted), 0)::int as expected, coalesce(sum(got), 0)::int as found, coalesce(sum(greatest(0, wanted - got)), 0)::int as lost,
            coalesce(sum(greatest(0, got - wanted)), 0)::int as doubled,
            (select jsonb_agg(y) from (select * from d where wanted <> got order by workflow, rec limit 5) y) as examples from d`,
  )
  const { examples, ...counts } = row
  return [
    { what: `${what}: lost`, expected: counts.expected, found: counts.found, wrong: counts.lost, ...(examples ? { examples } : {}) },
    { what: `${what}: doubled`, expected: counts.expected, found: counts.found, wrong: counts.doubled },
  ]
}

async function none(pool: Pool, what: string, sql: string): Promise<Count> {
  const rows = await many<object>(pool, sql)
  return { what, expected: 0, found: rows.length, wrong: rows.length, ...(rows.length ? { examples: rows.slice(0, 5) } : {}) }
}

/** Runs that records set off, in order per record; what is wrong with each is said by the run itself. */
async function runs(pool: Pool): Promise<Count[]> {
  return [
    ...(await compare(pool, 'runs for changes', FIRES, `${RUNS} where r.kind = 'change' and w.name !~ '^(stays|never)' and r.trial is null`)),
    await none(pool, 'runs of a workflow that nothing fits', `${RUNS} where w.name = 'never'`),
    // a record may be deleted before a press on it has its turn, and a run whose worker is killed each time is given up, and told, at the eighth
    await none(
      pool,
      'runs that failed without a cause that is told',
      `select r.id, r.error from rappel.run r where r.state = 'failed' and r.error !~ 'record is gone|tried 8 times' limit 20`,
    ),
    { what: 'runs that failed and are told on Today', ...(await told(pool)), wrong: 0 },
    await none(
      pool,
      'runs about one record out of the order of its changes',
      `select * from (select r.id, r.change_id, lag(r.change_id) over (partition by r.workflow, r.tbl, r.rec order by r.id) as before from rappel.run r where r.kind = 'change' and not coalesce(r.late, false)) x where before > change_id`,
    ),
  ]
}

async function told(pool: Pool): Promise<{ expected: number; found: number }> {
  const { n } = await one<{ n: number }>(pool, `select count(*)::int as n from rappel.run where state = 'failed'`)
  return { expected: 0, found: n }
}

/** Jobs that stayed open: those clearly longer than it takes have one run, those clearly shorter none. */
async function stays(pool: Pool): Promise<Count[]> {
  const spans = `
    with lines as (
           select rec, n, at, kind, op, stage, was_stage,
                  min(at) filter (where op = 'DELETE' or stage is distinct from 'Open') over (partition by rec order by n rows between 1 following and unbounded following) as ended
             from soak.line where tbl = 'jobs' and kind between 'K10' and 'K12'),
         spans as (select rec, kind, at, ended from lines where op <> 'DELETE' and stage = 'Open' and was_stage is distinct from 'Open'),
         long as (select *, extract(epoch from coalesce(ended, now()) - at) as seconds from spans)`
  const row = await one<{ sure: number; lost: number; most: number; found: number }>(
    pool,
    `${spans}, per as (select rec, kind, count(*) filter (where seconds > ${STAYS_SECONDS + 8}) as sure, count(*) filter (where seconds > ${STAYS_SECONDS - 8}) as most from long group by rec, kind),
          fired as (select (r.rec #>> '{}')::bigint as rec, count(*) as n from rappel.run r join rappel.workflow w on w.id = r.workflow where w.name like 'stays %' group by 1)
     select coalesce(sum(sure), 0)::int as sure, coalesce(sum(greatest(0, sure - coalesce(n, 0))), 0)::int as lost, coalesce(sum(greatest(0, coalesce(n, 0) - most)), 0)::int as most,
            coalesce(sum(n), 0)::int as found from per full join fired using (rec)`,
  )
  return [
    { what: 'runs for what stayed so: lost', expected: row.sure, found: row.found, wrong: row.lost },
    { what: 'runs for what stayed so: too many', expected: row.sure, found: row.found, wrong: row.most },
  ]
}

/** What the clock, a person and a figure set off. */
async function occasions(pool: Pool): Promise<Count[]> {
  const crossed = `
    with steps as (select grp, n, was_amount, amount from soak.line where tbl = 'tallies'),
         marked as (select *, case when amount > 100 then 1 when amount <= 50 then -1 end as mark from steps),
         held as (select *, max(case when mark is not null then n end) over (partition by grp order by n rows between unbounded preceding and 1 preceding) as last from marked)
    select 'much' as workflow, hashtext(h.grp)::bigint as rec from held h left join marked m on m.grp = h.grp and m.n = h.last where h.mark = 1 and coalesce(m.mark, -1) = -1`
  const ticks = await one<{ expected: number; found: number; runs: number }>(
    pool,
    `select count(distinct (t.workflow, t.at))::int as expected, count(*)::int as found,
            (select count(*)::int from rappel.run r join rappel.workflow w on w.id = r.workflow where w.name like 'minute %') as runs from rappel.tick t where t.fires`,
  )
  return [
    ...(await compare(pool, 'crossings of a figure', crossed, `select 'much' as workflow, hashtext(c.grp #>> '{}')::bigint as rec from rappel.crossing c`)),
    ...(await compare(
      pool,
      'runs for crossings',
      `select 'much' as workflow, c.id as rec from rappel.crossing c`,
      `select 'much' as workflow, c.id as rec from rappel.run r join rappel.workflow w on w.id = r.workflow join rappel.crossing c on r.key = 'crossing ' || c.id where w.name = 'much'`,
    )),
    { what: 'times of timetables gone through twice', expected: ticks.expected, found: ticks.found, wrong: ticks.found - ticks.expected },
    { what: 'runs for times of timetables: lost or doubled', expected: ticks.expected, found: ticks.runs, wrong: Math.abs(ticks.expected - ticks.runs) },
    await none(
      pool,
      'presses that were answered and did not run once',
      `select p.id, count(r.id) from soak.press p left join rappel.press q on q.id = p.id
       left join rappel.run r on r.kind = 'press' and split_part(r.key, ' ', 2) = p.id::text where p.answered group by p.id having count(r.id) <> 1`,
    ),
    await none(
      pool,
      'presses that ran more than once',
      `select p.id from soak.press p join rappel.run r on r.kind = 'press' and split_part(r.key, ' ', 2) = p.id::text group by p.id having count(*) > 1`,
    ),
  ]
}

/** What the runs had to bring about: mail to each recipient, digests, tasks and written records. */
async function effects(pool: Pool): Promise<Count[]> {
  return [
    ...(await compare(
      pool,
      'messages of runs',
      `select r.workflow::text, r.id as rec from rappel.run r join rappel.workflow w on w.id = r.workflow cross join generate_series(1, case when w.name like 'done %' then 2 else 1 end)
        where w.name not in ('noted', 'posted', 'task', 'spaced', 'gathered', 'much') and r.state <> 'failed'`,
      `select m.workflow::text, m.run as rec from rappel.message m join rappel.workflow w on w.id = m.workflow where w.name not in ('spaced', 'gathered', 'much')`,
    )),
    ...(await compare(
      pool,
      'what was gathered, in one digest each',
      `select 'gathered' as workflow, r.id as rec from rappel.run r join rappel.workflow w on w.id = r.workflow where w.name = 'gathered'`,
      `select 'gathered' as workflow, m.run as rec from rappel.message m join rappel.workflow w on w.id = m.workflow join rappel.message_recipient x on x.message = m.id
        where w.name = 'gathered' and (x.state = 'gathered' and x.digest is not null or m.state in ('sent', 'failed'))`,
    )),
    await none(
      pool,
      'mail nearer together than its spacing',
      `select * from (select m.id, m.changed_at - lag(m.changed_at) over (partition by lower(x.address) order by m.changed_at) as after from rappel.message m join rappel.workflow w on w.id = m.workflow
         join rappel.message_recipient x on x.message = m.id where w.name = 'spaced') y where after < interval '59 seconds'`,
    ),
    ...(await compare(
      pool,
      'notices of runs',
      `select 'posted' as workflow, r.id as rec from rappel.run r join rappel.workflow w on w.id = r.workflow where w.name = 'posted' and r.state <> 'failed'`,
      `select 'posted' as workflow, n.run as rec from rappel.notice n`,
    )),
    ...(await compare(
      pool,
      'tasks',
      `select 'task' as workflow, rec from soak.line where tbl = 'jobs' and op = 'UPDATE' and kind = 'K11' and stage = 'Done' and was_stage is distinct from 'Done'`,
      `select 'task' as workflow, substring(t.note from '/jobs/([0-9]+)')::bigint as rec from data.tasks t`,
    )),
    ...(await compare(
      pool,
      'records written by workflows',
      // one that was deleted before its turn came is not there to be written
      `select 'noted' as workflow, rec from soak.line i where tbl = 'jobs' and op = 'INSERT' and kind = 'K19'
          and (not exists (select from soak.line d where d.tbl = 'jobs' and d.rec = i.rec and d.op = 'DELETE')
               or exists (select from soak.line u where u.tbl = 'jobs' and u.rec = i.rec and u.note = 'seen'))`,
      `select 'noted' as workflow, l.rec from soak.line l where l.tbl = 'jobs' and l.op = 'UPDATE' and l.kind = 'K19' and l.note = 'seen' and l.was_note is distinct from 'seen'`,
    )),
  ]
}

/** What the mail server took, held against what was to be sent. Mail about one record that different causes brought about in the same second may go either way. */
async function arrivals(pool: Pool): Promise<Count[]> {
  const taken = `select distinct id, lower(address) as address from soak.arrival where code is null`
  const again = await one<{ n: number }>(
    pool,
    `select coalesce(sum(n - 1), 0)::int as n from (select count(*) as n from soak.arrival where code is null group by id, lower(address)) x`,
  )
  return [
    ...(await compare(
      pool,
      'mail that Rappel says was sent, at the mail server',
      `select m.message_id as workflow, hashtext(lower(x.address))::bigint as rec from rappel.message m join rappel.message_recipient x on x.message = m.id where x.state = 'sent'`,
      `select t.id as workflow, hashtext(t.address)::bigint as rec from (${taken}) t where not exists (
         select from rappel.message m join rappel.message_recipient x on x.message = m.id where m.message_id = t.id and lower(x.address) = t.address and x.state = 'failed')`,
    )),
    await none(
      pool,
      'mail that failed though no server refused it for good',
      `select m.id, x.address, x.reply from rappel.message m join rappel.message_recipient x on x.message = m.id where x.state = 'failed'
          and not exists (select from soak.arrival a where a.code >= 500 and lower(a.address) = lower(x.address)) limit 20`,
    ),
    await none(
      pool,
      'first arrivals about one record to one person out of order',
      `with first as (select a.id, lower(a.address) as address, min(a.n) as n from soak.arrival a where a.code is null group by 1, 2)
       select * from (select m.id, m.created_at, max(m.created_at) over (partition by m.tbl, m.rec, f.address order by f.n rows between unbounded preceding and 1 preceding) as before
         from first f join rappel.message m on m.message_id = f.id where m.rec is not null and m.run is not null and m.held_for is null) x where before > created_at + interval '1 second'`,
    ),
    { what: 'arrivals again under the same Message-ID (allowed; at least once)', expected: 0, found: again.n, wrong: 0 },
    ...(await posts(pool)),
  ]
}

/** What the channel took, held against the notices that were given. */
async function posts(pool: Pool): Promise<Count[]> {
  const again = await one<{ n: number }>(pool, `select count(*)::int - count(distinct id)::int as n from soak.post`)
  return [
    ...(await compare(
      pool,
      'notices that Rappel says were given, at the channel',
      `select n.event_id::text as workflow, 0::bigint as rec from rappel.notice n where n.state = 'sent'`,
      `select distinct id as workflow, 0::bigint as rec from soak.post`,
    )),
    await none(pool, 'notices that failed though the channel refused none for good', `select id, last_reply from rappel.notice where state = 'failed' limit 20`),
    { what: 'notices that arrived again as the same event (allowed; at least once)', expected: 0, found: again.n, wrong: 0 },
  ]
}

/** What must not be left over when all is quiet. */
async function leftOver(pool: Pool): Promise<Count[]> {
  return [
    await none(pool, 'changes left in the queue', 'select 1 from rappel.queue limit 20'),
    await none(pool, 'messages that are neither sent nor failed', `select id, state, next_at, behind from rappel.message where state in ('queued', 'sending', 'held') limit 20`),
    await none(pool, 'notices that are neither given nor failed', `select id, state, next_at, last_reply from rappel.notice where state in ('queued', 'held') limit 20`),
    await none(pool, 'runs that wait', `select id, state from rappel.run where state = 'waiting' limit 20`),
    await none(pool, 'times of timetables not gone through', 'select id from rappel.tick where done_at is null limit 20'),
    await none(pool, 'statements not recorded', 'select 1 from rappel.unlogged limit 20'),
  ]
}

/** Holds what is against what had to be. */
export async function account(pool: Pool): Promise<Count[]> {
  const counts: Count[] = []
  for (const part of [runs, stays, occasions, effects, arrivals, leftOver]) counts.push(...(await part(pool)))
  return counts
}
