import { many, one, type Queryable, touch } from './database'

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

/** What live workflows can name or are, each as what PostgreSQL sums up of it; of people and figures only what names go by, for their rows change as time goes. */
const NAMED = [
  'select t::text as said from rappel.table_def t',
  'select f::text from rappel.field_def f',
  'select a::text from rappel.attached_field a',
  "select concat_ws(' ', a.tbl, a.trouble) from rappel.attached a",
  "select concat_ws(' ', p.id, p.email, p.team, p.active) from rappel.person p",
  'select g::text from rappel.person_group g',
  'select m::text from rappel.group_member m',
  "select concat_ws(' ', t.name, t.version) from rappel.template t",
  'select s.name from rappel.sender s',
  'select c.name from rappel.channel c',
  'select l.name from rappel.library_file l',
  'select f.definition::text from rappel.figure f',
  'select s.value::text from rappel.setting s',
  "select concat_ws(' ', w.id, w.name, w.version) from rappel.workflow w where w.state = 'live'",
]

/** A text that is another once anything is that live workflows name, or which of them are live; drafts that are saved change nothing of it. */
export async function sumOfNamed(db: Queryable): Promise<string> {
  const sums = NAMED.map((query) => `coalesce((select sum(hashtextextended(said, 0)::numeric)::text || '/' || count(*) from (${query}) n (said)), '')`)
  return (await one<{ sum: string }>(db, `select concat_ws(' ', ${sums.join(', ')}) as sum`)).sum
}
