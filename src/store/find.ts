import { targetOf } from '@/core/values/tables'
import { many, type Queryable, quote, tableName } from './database'
import { containing } from './messages'
import { readSchema } from './tables'

/** Something found by its name, and the page it is on. */
export interface Found {
  readonly kind: string
  readonly title: string
  readonly href: string
}

const PER_TABLE = 4

/** Finds workflows (all, or those that one member keeps) and records whose titles contain a text; titles that begin with it come first. */
export async function findAnything(db: Queryable, text: string, keeper: number | null): Promise<Found[]> {
  const pattern = containing(text)
  const workflows = await many<{ name: string }>(db, 'select name from rappel.workflow where name ilike $1 and ($2::bigint is null or keeper = $2) order by name limit 6', [
    pattern,
    keeper,
  ])
  const found: Found[] = workflows.map(({ name }) => ({ kind: 'workflow', title: name, href: `/workflows/${encodeURIComponent(name)}` }))
  for (const table of (await readSchema(db)).values()) {
    const title = table.fields.find((f) => f.name === table.titleField)
    if (table.name === 'person' || !title || targetOf(title)) continue
    const column = `${quote(title.name)}::text`
    const rows = await many<{ id: number; title: string }>(
      db,
      `select id, ${column} as title from ${tableName(table.name)} where ${column} ilike $1 order by starts_with(lower(${column}), lower($2)) desc, id desc limit ${PER_TABLE}`,
      [pattern, text],
    )
    found.push(...rows.map((r) => ({ kind: table.singular, title: r.title, href: `/records/${table.name}/${r.id}` })))
  }
  return found
}
