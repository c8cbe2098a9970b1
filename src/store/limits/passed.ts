import { many, maybeOne, type Queryable, touch } from '../database'

/** When something passed last, and in which run. */
export interface PassedRow {
  readonly at: Date
  readonly run: string
}

/** Takes the keys of a workflow's spacing for this transaction, so that nobody else lets the same through, and answers those that passed before. */
export async function takePassed(db: Queryable, workflow: number, keys: readonly string[]): Promise<Map<string, PassedRow>> {
  if (keys.length === 0) return new Map()
  const rows = await many<PassedRow & { key: string; isNew: boolean }>(
    db,
    `insert into rappel.passed as p (workflow, key, at, run) select $1, k, '-infinity', '' from unnest($2::text[]) as u (k) order by k
     on conflict (workflow, key) do update set at = p.at returning p.key, case when isfinite(p.at) then p.at end as at, p.run, not isfinite(p.at) as "isNew"`,
    [workflow, [...keys].sort()],
  )
  return new Map(rows.filter((r) => !r.isNew).map(({ key, at, run }) => [key, { at, run }]))
}

/** Notes what passed now. */
export async function notePassed(db: Queryable, workflow: number, passed: ReadonlyMap<string, PassedRow>): Promise<void> {
  if (passed.size === 0) return
  await touch(
    db,
    `update rappel.passed p set at = g.at, run = g.run from jsonb_to_recordset($2::jsonb) as g (key text, at timestamptz, run text) where p.workflow = $1 and p.key = g.key`,
    [workflow, JSON.stringify([...passed].map(([key, row]) => ({ key, ...row })))],
  )
}

/** Takes a workflow's count of a day for this transaction, and answers it. */
export async function takePassedOn(db: Queryable, workflow: number, day: string): Promise<number> {
  const row = await maybeOne<{ passed: number }>(
    db,
    'insert into rappel.passed_on as p (workflow, day, passed) values ($1, $2, 0) on conflict (workflow, day) do update set passed = p.passed returning passed',
    [workflow, day],
  )
  return row?.passed ?? 0
}

/** Notes how many mails of a workflow have passed on a day. */
export async function notePassedOn(db: Queryable, workflow: number, day: string, passed: number): Promise<void> {
  await touch(db, 'update rappel.passed_on set passed = $3 where workflow = $1 and day = $2', [workflow, day, passed])
}

/** Forgets what is of no matter any more: what passed before a moment, and counts of days before it. */
export async function forgetPassed(db: Queryable, before: Date): Promise<void> {
  await touch(db, 'delete from rappel.passed where at < $1', [before])
  await touch(db, 'delete from rappel.passed_on where day < $1::date', [before])
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
