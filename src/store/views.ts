import type { View } from '@/core/document/view'
import { many, type Queryable, touch } from './database'

/** A view with its name, and whether it is one's own or everybody's. */
export interface NamedView {
  readonly name: string
  readonly shared: boolean
  readonly view: View
}

/** The views of a table that somebody has, their own and everybody's, by name. */
export async function listViews(db: Queryable, table: string, person: number | null): Promise<NamedView[]> {
  return many<NamedView>(
    db,
    'select name, person is null as shared, definition as view from rappel.view where tbl = $1 and (person is null or person = $2) order by person is null, name',
    [table, person],
  )
}

/** Keeps a view under its name, one's own or, where `person` is null, everybody's. */
export async function putView(db: Queryable, table: string, name: string, person: number | null, view: View): Promise<void> {
  await touch(
    db,
    'insert into rappel.view (tbl, name, person, definition) values ($1, $2, $3, $4) on conflict (tbl, name, person) do update set definition = excluded.definition',
    [table, name, person, JSON.stringify(view)],
  )
}

/** Takes a view away; whether there was one. */
export async function removeView(db: Queryable, table: string, name: string, person: number | null): Promise<boolean> {
  return (await touch(db, 'delete from rappel.view where tbl = $1 and name = $2 and person is not distinct from $3', [table, name, person])) > 0
}
