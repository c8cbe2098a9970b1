import type { Pool } from 'pg'
import type { Change } from '@/core/changes/change'
import type { Workflow } from '@/core/document/document'
import type { Schema } from '@/core/values/tables'
import { type BareChange, readBareChange, readChange } from './changes'
import { many, maybeOne, one, type Queryable, touch, transaction } from './database'
import { Refused } from './problems'
import { wakeWorkers } from './workers'

/** Changes of a stretch `s` whose version `v` waits for their table and kind: those that passed it by while it was paused. */
const PASSED = `from rappel.change_bare c
   where c.tbl = v.document ->> 'table' and (v.document #> '{cue,on}')::jsonb ? c.kind
     and c.at >= s.from_at - interval '1 minute' and not pg_visible_in_snapshot(c.xid, s.from_snapshot)
     and (s.to_snapshot is null or pg_visible_in_snapshot(c.xid, s.to_snapshot))`

/** The pauses of the version that each workflow has, not run after all; with what else is joined to them. */
const pauses = (joined = '') => `from rappel.stretch s join rappel.workflow w on w.id = s.workflow and w.version = s.version
   join rappel.workflow_version v on v.workflow = s.workflow and v.version = s.version ${joined}
  where s.state = 'paused' and s.caught_up_at is null`

/** Quiet writes that passed live versions by and were not run for them after all, with what else is joined to them: as for pauses, `p` are their changes. */
const quietly = (
  joined = '',
) => `from rappel.bulk b join rappel.workflow_version v on v.document ->> 'table' = b.tbl join rappel.workflow w on w.id = v.workflow and w.version = v.version
   join rappel.stretch s on s.workflow = w.id and s.version = w.version and s.state = 'live'
    and not pg_visible_in_snapshot(b.xid, s.from_snapshot) and (s.to_snapshot is null or pg_visible_in_snapshot(b.xid, s.to_snapshot)) ${joined}
  where b.quiet and v.document #>> '{cue,kind}' = 'record' and not exists (select from rappel.bulk_caught_up x where x.workflow = w.id and x.bulk = b.id)`

/** The changes of a quiet write that a version waits for. */
const WRITTEN = `from rappel.change_bare c where c.id between b.first_change and b.last_change and c.xid = b.xid and c.tbl = b.tbl and (v.document #> '{cue,on}')::jsonb ? c.kind`

/** What passed workflows by, each change of a transaction once: while they were paused, and what was written quietly. */
const PASSED_BY = `select w.id as workflow, w.name, s.version, v.document, p.id, null::bigint as bulk ${pauses(`cross join lateral (select max(c.id) as id ${PASSED} group by c.tbl, c.rec, c.xid) p`)}
  union all select w.id, w.name, s.version, v.document, p.id, b.id ${quietly(`cross join lateral (select max(c.id) as id ${WRITTEN} group by c.tbl, c.rec, c.xid) p`)}`

/** How many changes passed each workflow by, while paused or because they were written quietly, that were not run after all: those of its table and kinds. */
export async function countPassedBy(db: Queryable): Promise<Map<string, number>> {
  const tables = await many<{ table: string }>(
    db,
    `select "table" from (select v.document ->> 'table' as "table" ${pauses()} union select v.document ->> 'table' ${quietly()}) x where "table" is not null`,
  )
  const counts = new Map<string, number>()
  for (const { table } of tables) {
    // of one table at a time: the planner leaves out the logs of the others
    const rows = await many<{ name: string; passed: number }>(
      db,
      `select name, sum(passed)::int as passed from (
         select w.name, (select count(*) ${PASSED} and c.tbl = $1) as passed ${pauses()} and v.document ->> 'table' = $1
         union all select w.name, (select count(*) ${WRITTEN} and c.tbl = $1) ${quietly()} and v.document ->> 'table' = $1) x group by name`,
      [table],
    )
    for (const { name, passed } of rows) if (passed > 0) counts.set(name, (counts.get(name) ?? 0) + passed)
  }
  return counts
}

/**
 * Has the changes that passed a resumed workflow by handled after all, by the version that was paused, with data as it is then; how many.
 * @throws Refused while it is not live
 */
export async function catchUp(pool: Pool, name: string): Promise<number> {
  return transaction(pool, async (db) => {
    const row = await maybeOne<{ id: number; state: string }>(db, 'select id, state from rappel.workflow where name = $1 for update', [name])
    if (!row) throw new Refused('not found', `There is no workflow called ${JSON.stringify(name)}.`)
    if (row.state !== 'live') throw new Refused('conflict', `${JSON.stringify(name)} is ${row.state}. Resume it first; what passed it by can then be run.`)
    const count = await touch(
      db,
      `insert into rappel.catch_up (workflow, version, change_id)
       select workflow, version, id from (${PASSED_BY}) x where workflow = $1
       on conflict do nothing`,
      [row.id],
    )
    await touch(db, `update rappel.stretch set caught_up_at = now() where workflow = $1 and state = 'paused' and to_snapshot is not null`, [row.id])
    await touch(db, `insert into rappel.bulk_caught_up (workflow, bulk) select distinct w.id, b.id ${quietly()} and w.id = $1`, [row.id])
    await wakeWorkers(db)
    return count
  })
}

/** The changes that passed a workflow by and would be run after all, the newest first, with the document that would run them. */
export async function readPassedBy(db: Queryable, name: string, schema: Schema, limit: number): Promise<{ count: number; changes: Change[]; document: Workflow | null }> {
  const rows = await many<{ id: number; document: Workflow; count: number }>(
    db,
    `select id, document, count(*) over () as count from (${PASSED_BY}) x where name = $1 order by id desc limit $2`,
    [name, limit],
  )
  const changes: Change[] = []
  for (const { id, document } of rows) {
    const change = await readChange(db, schema, id, document.table)
    if (change) changes.push(change)
  }
  return { count: rows[0]?.count ?? 0, changes, document: rows[0]?.document ?? null }
}

/** Whether any change waits to be handled late. */
export async function hasLate(db: Queryable): Promise<boolean> {
  return (await one<{ has: boolean }>(db, 'select exists (select from rappel.catch_up) as has')).has
}

/** A change to be handled late, and by which version. */
export interface LateChange {
  readonly workflow: number
  readonly version: number
  readonly change: Change
}

/** Takes the oldest change that is to be handled late without reading what it holds; null where there is none, its change null where the log has it no more. */
export async function takeLate(db: Queryable): Promise<{ workflow: number; name: string; version: number; change: BareChange | null } | null> {
  const taken = await maybeOne<{ workflow: number; name: string; version: number; change_id: number; table: string }>(
    db,
    `with taken as (delete from rappel.catch_up c using (select workflow, change_id from rappel.catch_up order by change_id limit 1 for update skip locked) d
                     where c.workflow = d.workflow and c.change_id = d.change_id returning c.workflow, c.version, c.change_id)
     select t.workflow, w.name, t.version, t.change_id, v.document ->> 'table' as table from taken t join rappel.workflow w on w.id = t.workflow
       join rappel.workflow_version v on v.workflow = t.workflow and v.version = t.version`,
  )
  if (!taken) return null
  const { change_id, table, ...late } = taken
  return { ...late, change: await readBareChange(db, change_id, table) }
}

/** Takes changes that are to be handled late, the oldest first; gone from the list when this transaction ends. */
export async function claimLate(db: Queryable, schema: Schema, limit: number): Promise<LateChange[]> {
  const rows = await many<{ workflow: number; version: number; change_id: number; table: string }>(
    db,
    `delete from rappel.catch_up c using (select workflow, change_id from rappel.catch_up order by change_id limit $1 for update skip locked) d
      where c.workflow = d.workflow and c.change_id = d.change_id
     returning c.workflow, c.version, c.change_id, (select v.document ->> 'table' from rappel.workflow_version v where v.workflow = c.workflow and v.version = c.version) as table`,
    [limit],
  )
  const late: LateChange[] = []
  for (const { workflow, version, change_id, table } of rows.sort((a, b) => a.change_id - b.change_id)) {
    const change = await readChange(db, schema, change_id, table)
    if (change) late.push({ workflow, version, change })
  }
  return late
}
