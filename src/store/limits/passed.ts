import { many, manyPrepared, maybeOne, type Queryable, touch } from '../database'

/** When something passed last, and in which run. */
export interface PassedRow {
  readonly at: Date
  readonly run: string
}

/** What passed of a workflow's spacing, by its key. */
export interface PassedKey extends PassedRow {
  readonly workflow: number
  readonly key: string
}

/**
 * Takes keys of workflows' spacing for this transaction, in one order, so that nobody else lets the same through, and answers those that passed before, by workflow and key. One that never passed
 * is noted at once as it is given, for that is what mostly comes of it; `settlePassed` puts right where it is not.
 */
export async function takePassed(db: Queryable, keys: readonly PassedKey[]): Promise<Map<number, Map<string, PassedRow>>> {
  const found = new Map<number, Map<string, PassedRow>>()
  if (keys.length === 0) return found
  const rows = await manyPrepared<PassedKey & { isNew: boolean }>(
    db,
    'take passed',
    `insert into rappel.passed as p (workflow, key, at, run)
     select w, k, t, r from (select distinct on (w, k) w, k, t, r from unnest($1::bigint[], $2::text[], $3::timestamptz[], $4::text[]) with ordinality as u (w, k, t, r, place) order by w, k, place) asked
     on conflict (workflow, key) do update set at = p.at returning p.workflow, p.key, p.at, p.run, p.xmax = 0 as "isNew"`,
    [keys.map((k) => k.workflow), keys.map((k) => k.key), keys.map((k) => k.at), keys.map((k) => k.run)],
  )
  for (const { workflow, key, at, run, isNew } of rows) {
    if (isNew) continue
    const own = found.get(workflow) ?? new Map<string, PassedRow>()
    found.set(workflow, own.set(key, { at, run }))
  }
  return found
}

/** Notes what passed now other than as it was taken, and forgets keys that were taken as new and did not pass. */
export async function settlePassed(db: Queryable, passed: readonly PassedKey[], forgotten: readonly Pick<PassedKey, 'workflow' | 'key'>[]): Promise<void> {
  if (passed.length)
    await touch(
      db,
      `update rappel.passed p set at = g.at, run = g.run from jsonb_to_recordset($1::jsonb) as g (workflow bigint, key text, at timestamptz, run text) where p.workflow = g.workflow and p.key = g.key`,
      [JSON.stringify(passed)],
    )
  if (forgotten.length)
    await touch(db, 'delete from rappel.passed p using unnest($1::bigint[], $2::text[]) as g (w, k) where p.workflow = w and p.key = k', [
      forgotten.map((f) => f.workflow),
      forgotten.map((f) => f.key),
    ])
}

/** Takes workflows' counts of a day for this transaction, in one order, and answers them. */
export async function takePassedOn(db: Queryable, workflows: readonly number[], day: string): Promise<Map<number, number>> {
  if (workflows.length === 0) return new Map()
  const rows = await many<{ workflow: number; passed: number }>(
    db,
    `insert into rappel.passed_on as p (workflow, day, passed) select w, $2, 0 from unnest($1::bigint[]) w order by w
     on conflict (workflow, day) do update set passed = p.passed returning p.workflow, p.passed`,
    [workflows, day],
  )
  return new Map(rows.map((r) => [r.workflow, r.passed]))
}

/** Workflows' counts of a day as they stand; nothing is taken, so that they may have grown at once. */
export async function lookPassedOn(db: Queryable, workflows: readonly number[], day: string): Promise<Map<number, number>> {
  if (workflows.length === 0) return new Map()
  const rows = await many<{ workflow: number; passed: number }>(db, 'select workflow, passed from rappel.passed_on where day = $2 and workflow = any($1::bigint[])', [
    workflows,
    day,
  ])
  return new Map(rows.map((r) => [r.workflow, r.passed]))
}

/** Adds to workflows' counts of a day, in one order; answers the counts by now. */
export async function addPassedOn(db: Queryable, day: string, more: ReadonlyMap<number, number>): Promise<Map<number, number>> {
  if (more.size === 0) return new Map()
  const rows = await manyPrepared<{ workflow: number; passed: number }>(
    db,
    'add passed on',
    `insert into rappel.passed_on as p (workflow, day, passed) select w, $2, n from unnest($1::bigint[], $3::int[]) as u (w, n) order by w
     on conflict (workflow, day) do update set passed = p.passed + excluded.passed returning p.workflow, p.passed`,
    [[...more.keys()], day, [...more.values()]],
  )
  return new Map(rows.map((r) => [r.workflow, r.passed]))
}

/** Forgets what is of no matter any more: what passed before a moment, counts of days before it, and what is left of workflows that are gone. */
export async function forgetPassed(db: Queryable, before: Date): Promise<void> {
  await touch(db, 'delete from rappel.passed p where at < $1 or not exists (select from rappel.workflow w where w.id = p.workflow)', [before])
  await touch(db, 'delete from rappel.passed_on p where day < $1::date or not exists (select from rappel.workflow w where w.id = p.workflow)', [before])
  await touch(db, 'delete from rappel.passed_in where hour < $1', [before])
}

/** What passed of the workflow of a name, by the keys of its spacing, and how many mails on a day; nothing is taken. */
export async function readPassed(db: Queryable, workflow: string, keys: readonly string[], day: string): Promise<{ last: Map<string, PassedRow>; onDay: number }> {
  const rows = await many<PassedRow & { key: string }>(
    db,
    'select p.key, p.at, p.run from rappel.passed p join rappel.workflow w on w.id = p.workflow where w.name = $1 and p.key = any($2::text[]) and isfinite(p.at)',
    [workflow, keys],
  )
  const counted = await maybeOne<{ passed: number }>(db, 'select p.passed from rappel.passed_on p join rappel.workflow w on w.id = p.workflow where w.name = $1 and p.day = $2', [
    workflow,
    day,
  ])
  return { last: new Map(rows.map(({ key, at, run }) => [key, { at, run }])), onDay: counted?.passed ?? 0 }
}
