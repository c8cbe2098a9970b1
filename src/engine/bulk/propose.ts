import { readCell } from '@/core/bulk/cell'
import { Column, type Names, proposeTable } from '@/core/bulk/propose'
import { type Ways, waysOf } from '@/core/values/plain'
import type { FieldDef, Image, Organisation, Schema, Stored, TableDef } from '@/core/values/tables'
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
  /** Of each column, in how many rows it is filled, and its most frequent values. */
  readonly columns: readonly { readonly filled: number; readonly values: readonly (readonly [value: string, times: number])[] }[]
}

const SHOWN = 8
const FREQUENT = 15

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
  const told = columns.map((column) => ({ filled: column.filled, values: column.frequent(FREQUENT) }))
  return { table: proposeTable(label, columns, names), rows, recognised: file.recognised, ways, headings: file.headings, first, columns: told }
}

/** A row of a file with the field that each of its cells is of, or null. */
export interface SampleRow {
  readonly fields: readonly (FieldDef | null)[]
  readonly cells: readonly string[]
  readonly ways: Ways
}

/** A row as it would become a record of a table that is not there yet; blank where a cell cannot be read. */
export async function sampleRecord(db: Queryable, { fields, cells, ways }: SampleRow, schema: Schema, zone: string): Promise<Image> {
  const record: Record<string, Stored> = { id: 1 }
  for (const [i, field] of fields.entries()) {
    if (!field) continue
    const text = (cells[i] ?? '').trim().toLowerCase()
    const named = field.type === 'person' ? 'person' : field.type === 'link' ? field.table : undefined
    const found = named && text ? await findNamed(db, schema, named, [text]) : new Map()
    const read = readCell(field, cells[i] ?? null, { ways, zone, find: () => found.get(text) ?? null })
    record[field.name] = 'problem' in read ? null : read.value
  }
  return record
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
