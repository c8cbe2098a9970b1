import { Column, type Names, proposeTable } from '@/core/bulk/propose'
import { type Ways, waysOf } from '@/core/bulk/ways'
import type { Organisation, Schema, TableDef } from '@/core/values/tables'
import { findNamed } from '@/store/bulk/named'
import type { Queryable } from '@/store/database'
import { openRows } from './files/open'
import { shownCell } from './files/rows'

/** A table that a file would make, with what was read of it. */
export interface Proposal {
  readonly table: TableDef
  readonly rows: number
  readonly recognised: string
  readonly ways: Ways
  /** The file's headings, each of which is a field, in order. */
  readonly headings: readonly string[]
  readonly first: readonly (readonly string[])[]
}

const SHOWN = 8

/** The share of a column's values that have to name a record or a person, for it to be a link. */
const NAMING = 0.95

/** Proposes a table for a file, from all of its rows. @throws Unreadable */
export async function proposeFrom(db: Queryable, path: string, label: string, schema: Schema, organisation: Organisation, signal?: AbortSignal): Promise<Proposal> {
  const file = await openRows(path)
  const columns = file.headings.map((heading) => new Column(heading))
  const first: string[][] = []
  let rows = 0
  for await (const { cells } of file.rows()) {
    signal?.throwIfAborted()
    rows++
    columns.forEach((column, i) => column.add(cells[i] ?? null))
    if (first.length < SHOWN) first.push(columns.map((_, n) => shownCell(cells[n])))
  }
  const names = new Map<Column, Names>()
  for (const column of columns) {
    const named = column.type() === 'text' || column.type() === 'choice' || column.type() === 'email' ? await namesOf(db, schema, column) : null
    if (named) names.set(column, named)
  }
  const ways = columns.reduce((found, column) => column.ways(found), waysOf(organisation.locale))
  return { table: proposeTable(label, columns, names), rows, recognised: file.recognised, ways, headings: file.headings, first }
}

/** What a column's values name: people of the organisation, or the records of one table. */
async function namesOf(db: Queryable, schema: Schema, column: Column): Promise<Names | null> {
  const texts = column.distinct().map((t) => t.toLowerCase())
  if (texts.length === 0) return null
  for (const table of schema.keys()) {
    const titles = table === 'person' || schema.get(table)?.titleField
    if (!titles) continue
    const found = await findNamed(db, schema, table, texts)
    // ids are no names: a column of small numbers would link to anything
    const named = texts.filter((t) => !/^\d+$/.test(t) && found.get(t) !== undefined && found.get(t) !== 'several').length
    if (named >= texts.length * NAMING) return table === 'person' ? { type: 'person' } : { type: 'link', table }
  }
  return null
}
