import { labelOf } from '@/core/figures/label'
import { changePath, type RecordId, recordPath, type TableDef, targetOf, titleOf } from '@/core/values/tables'
import { latestChanges } from './changes'
import { many, type Queryable, quote, tableName } from './database'
import { containing, listMessages } from './messages'
import { readSchema } from './tables'

/** Something found by its name, and the page it is on; `at` where it happened at a moment. */
export interface Found {
  readonly kind: string
  readonly title: string
  readonly href: string
  readonly at?: Date
}

/** Who looks: a member sees workflows and runs of their own alone, and neither templates, people nor the log of mail. */
export interface Finder {
  readonly keeper: number | null
  readonly templates: boolean
  readonly people: boolean
  readonly messages: boolean
}

const PER_TABLE = 4
const FEW = 3

/** Finds workflows, records, templates, people, runs and mail by a text; titles that begin with it come first. */
export async function findAnything(db: Queryable, text: string, finder: Finder): Promise<Found[]> {
  const found = await Promise.all([
    findWorkflows(db, text, finder.keeper),
    findRecords(db, text, PER_TABLE).then((records) => records.map(({ table, id, title }) => ({ kind: table.singular, title, href: recordPath(table.name, id) }))),
    findTables(db, text),
    findFigures(db, text),
    finder.templates ? findTemplates(db, text) : [],
    finder.people ? findPeople(db, text) : [],
    findRun(db, text, finder.keeper),
    finder.messages && text.length > 3 ? findMessages(db, text) : [],
  ])
  return found.flat()
}

/** The newest changes of the records that a question is about, each to be asked why. */
export async function findWhy(db: Queryable, about: string): Promise<Found[]> {
  if (about.length < 2) return []
  const schema = await readSchema(db)
  const whole = await findRecords(db, about, 2)
  const records = whole.length
    ? whole
    : (
        await Promise.all(
          about
            .split(' ')
            .filter((w) => /\d/.test(w))
            .map((word) => findRecords(db, word, 2)),
        )
      ).flat()
  const changes = await Promise.all(
    records.slice(0, FEW).map(async ({ table, id }) =>
      (await latestChanges(db, schema, table.name, id, FEW)).map((change) => ({
        kind: 'why',
        title: `${titleOf(table, change.after ?? change.before ?? {})}, ${change.kind} by ${change.by.name}`,
        href: changePath(change.id, table.name),
        at: change.at,
      })),
    ),
  )
  return changes.flat()
}

async function findWorkflows(db: Queryable, text: string, keeper: number | null): Promise<Found[]> {
  const rows = await many<{ name: string }>(
    db,
    'select name from rappel.workflow where rappel.folded(name) like rappel.folded($1) and ($2::bigint is null or keeper = $2) order by name limit 6',
    [containing(text), keeper],
  )
  return rows.map(({ name }) => ({ kind: 'workflow', title: name, href: `/workflows/${encodeURIComponent(name)}` }))
}

/** Types whose texts a record is found by, besides its title. */
const OF_TEXT = ['text', 'email', 'phone']

/** Records by their titles, and by any of their other texts; those whose title begins so come first. */
async function findRecords(db: Queryable, text: string, perTable: number): Promise<{ table: TableDef; id: RecordId; title: string }[]> {
  const found: { table: TableDef; id: RecordId; title: string }[] = []
  for (const table of (await readSchema(db)).values()) {
    const title = table.fields.find((f) => f.name === table.titleField)
    if (table.name === 'person' || !title || targetOf(title)) continue
    const column = `${quote(title.name)}::text`
    const texts = text.length < LONG_ENOUGH ? [] : table.fields.filter((f) => f !== title && OF_TEXT.includes(f.type))
    const fits = [title, ...texts].map((f) => `rappel.folded(${quote(f.name)}::text) like rappel.folded($1)`).join(' or ')
    const rows = await many<{ id: RecordId; title: string }>(
      db,
      `select id, ${column} as title from ${tableName(table.name)} where ${fits} order by rappel.folded(${column}) like rappel.folded($1) desc nulls last, starts_with(rappel.folded(${column}), rappel.folded($2)) desc, id desc limit $3`,
      [containing(text), text, perTable],
    )
    found.push(...rows.map((row) => ({ table, id: row.id, title: row.title || `${table.singular} ${row.id}` })))
  }
  return found
}

/** Fewest characters by which a record is found by its other texts, since shorter ones are in almost every one. */
const LONG_ENOUGH = 3

async function findTables(db: Queryable, text: string): Promise<Found[]> {
  const begun = text.toLowerCase()
  return [...(await readSchema(db)).values()]
    .filter(
      (t) =>
        t.name !== 'person' &&
        !t.archived &&
        [t.label, t.singular.replaceAll('_', ' ')].some((name) =>
          name
            .toLowerCase()
            .split(' ')
            .some((_, i, words) => words.slice(i).join(' ').startsWith(begun)),
        ),
    )
    .slice(0, FEW)
    .map((t) => ({ kind: 'table', title: t.label, href: `/records/${t.name}` }))
}

async function findFigures(db: Queryable, text: string): Promise<Found[]> {
  const rows = await many<{ name: string; label: string | null }>(
    db,
    `select name, definition ->> 'label' as label from rappel.figure where rappel.folded(coalesce(definition ->> 'label', replace(name, '_', ' '))) like rappel.folded($1) order by name limit 4`,
    [containing(text)],
  )
  return rows.map(({ name, label }) => ({ kind: 'figure', title: labelOf({ name, ...(label ? { label } : {}) }), href: `/figures/${name}` }))
}

async function findTemplates(db: Queryable, text: string): Promise<Found[]> {
  const rows = await many<{ name: string }>(db, 'select name from rappel.template where rappel.folded(name) like rappel.folded($1) order by name limit 4', [containing(text)])
  return rows.map(({ name }) => ({ kind: 'template', title: name, href: `/templates/${encodeURIComponent(name)}` }))
}

async function findPeople(db: Queryable, text: string): Promise<Found[]> {
  const rows = await many<{ name: string; email: string }>(
    db,
    'select name, email from rappel.person where rappel.folded(name) like rappel.folded($1) or rappel.folded(email) like rappel.folded($1) order by name limit 4',
    [containing(text)],
  )
  return rows.map(({ name, email }) => ({ kind: 'person', title: `${name}, ${email}`, href: `/people#${encodeURIComponent(email)}` }))
}

/** A run by its number, also written “run 12”. */
async function findRun(db: Queryable, text: string, keeper: number | null): Promise<Found[]> {
  const id = /^(?:run\s+)?(\d{1,15})$/i.exec(text)?.[1]
  if (!id) return []
  const rows = await many<{ id: number; name: string; title: string }>(
    db,
    'select r.id, w.name, r.title from rappel.run r join rappel.workflow w on w.id = r.workflow where r.id = $1 and ($2::bigint is null or w.keeper = $2)',
    [id, keeper],
  )
  return rows.map((r) => ({ kind: 'run', title: `${r.id}: ${r.name}, for ${r.title}`, href: `/runs/${r.id}` }))
}

async function findMessages(db: Queryable, text: string): Promise<Found[]> {
  const rows = await listMessages(db, { text, limit: FEW })
  return rows.map((m) => ({ kind: 'message', title: m.subject, href: m.run ? `/runs/${m.run}` : `/messages?text=${encodeURIComponent(text)}`, at: m.created_at }))
}
