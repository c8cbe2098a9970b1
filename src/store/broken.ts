import { many, type Queryable, touch } from './database'

/** A live workflow that cannot do what it says: what is in its way, in sentences, and since when. */
export interface BrokenRow {
  readonly id: number
  readonly name: string
  readonly problems: readonly string[]
  readonly since: Date
}

/** Every live workflow that was found broken, the newest first. */
export function listBroken(db: Queryable): Promise<BrokenRow[]> {
  return many<BrokenRow>(
    db,
    `select w.id, w.name, b.problems, b.since from rappel.broken b join rappel.workflow w on w.id = b.workflow where w.state = 'live' order by b.since desc, w.name`,
  )
}

/** Keeps which workflows are broken, by id, and lets go of all others. Answers the ids of those that were not before. */
export async function noteBroken(db: Queryable, broken: ReadonlyMap<number, readonly string[]>, now: Date): Promise<number[]> {
  const ids = [...broken.keys()]
  await touch(db, 'delete from rappel.broken where workflow <> all ($1::bigint[])', [ids])
  const rows = await many<{ workflow: number; isNew: boolean }>(
    db,
    `insert into rappel.broken as b (workflow, problems, since)
     select g.workflow, g.problems, $2 from jsonb_to_recordset($1::jsonb) as g (workflow bigint, problems text[]) join rappel.workflow w on w.id = g.workflow
     on conflict (workflow) do update set problems = excluded.problems returning b.workflow, b.xmax = 0 as "isNew"`,
    [JSON.stringify(ids.map((workflow) => ({ workflow, problems: broken.get(workflow) }))), now],
  )
  return rows.filter((row) => row.isNew).map((row) => row.workflow)
}
