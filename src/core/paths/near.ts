import { must } from '../must'
import { type Schema, type TableDef, targetOf } from '../values/tables'
import { MAX_HOPS } from './path'

/** So many fields of all tables together go to whoever edits as they are; of more, only the tables that are near at hand are whole. */
const ENOUGH = 4_000

/** The tables that something speaks of, whatever it is: every name of a table that stands in it as a word, in paths, lists, formulas and texts. */
export function spokenOf(schema: Schema, said: unknown): Set<string> {
  const words = (typeof said === 'string' ? said : (JSON.stringify(said) ?? '')).match(/[a-z][a-z0-9_]*/g) ?? []
  return new Set(words.filter((word) => schema.has(word)))
}

/** Tables with all those that paths from them reach, by their names. */
export function reachOf(schema: Schema, names: Iterable<string>): Set<string> {
  const reached = new Set([...names].filter((name) => schema.has(name)))
  let last = [...reached]
  for (let hop = 0; hop < MAX_HOPS; hop++) {
    const next = last.flatMap((name) => must(schema.get(name)).fields.map((f) => targetOf(f) ?? '')).filter((name) => schema.has(name) && !reached.has(name))
    for (const name of next) reached.add(name)
    last = [...new Set(next)]
  }
  return reached
}

/** A table with the fields alone by which its records are named, linked and made. */
const shortened = (table: TableDef): TableDef => ({
  ...table,
  fields: table.fields.filter((f) => f.type === 'link' || f.required || f.name === table.titleField || f.name === table.ownerField),
  short: true,
})

/** All tables for whoever edits what speaks of some: whole are those, and whatever paths from them reach; the others are short, where there are too many to send. */
export function tablesNear(schema: Schema, said: unknown): TableDef[] {
  const tables = [...schema.values()]
  if (tables.reduce((sum, table) => sum + table.fields.length, 0) <= ENOUGH) return tables
  const near = reachOf(schema, spokenOf(schema, said))
  return tables.map((table) => (near.has(table.name) || table.name === 'person' ? table : shortened(table)))
}
