import { type Raw, type Reading, readCell } from '@/core/bulk/cell'
import { importField, matchColumns } from '@/core/bulk/columns'
import { recogniseDates, recogniseDecimal } from '@/core/bulk/ways'
import { isBlank } from '@/core/values/compare'
import { givesIds, type ValueProblem } from '@/core/values/parse'
import { type Ways, waysOf } from '@/core/values/plain'
import type { FieldDef, Organisation, RecordId, Schema, Stored, TableDef } from '@/core/values/tables'
import { findNamed } from '@/store/bulk/named'
import type { StagedRow } from '@/store/bulk/stage'
import type { Queryable } from '@/store/database'
import type { FileRow, FileRows } from './files/rows'

/** A row that is not taken, and why. */
export interface RefusedRow {
  readonly row: number
  readonly problems: readonly { readonly code: string; readonly path: string; readonly message: string }[]
}

/** How a file's columns become fields: the field of each heading, or null. */
export type Columns = readonly (string | null)[]

/** The most refused rows whose problems are kept; the rest is counted. */
export const MOST_TOLD = 1_000

/** How many rows recognise the ways of a file. */
const LOOKED_AT = 10_000

/** Matches the headings of a file to fields, with what was said by hand before what their names say. Ids are taken where rows find their records by them, or records are given theirs; else they are left. */
export function columnsOf({ headings }: FileRows, table: TableDef, said: Readonly<Record<string, string | null>> = {}, key: string | null = null): (string | null)[] {
  const given = headings.map((h) => (Object.hasOwn(said, h) ? (said[h] ?? null) : undefined))
  const byName = matchColumns(
    headings.map((h, i) => (given[i] === undefined ? h : '')),
    table,
  )
  const taken = new Set(given)
  return headings.map((_, i) => {
    const own = given[i]
    if (own !== undefined) return own
    const named = byName[i] === 'id' && key !== 'id' && !givesIds(table) ? null : (byName[i] ?? null)
    return named !== null && taken.has(named) ? null : named
  })
}

/** Recognises how a file writes numbers and dates, from its first ten thousand rows; where they do not tell, as the organisation does. */
export async function recogniseWays(file: FileRows, columns: Columns, table: TableDef, organisation: Organisation): Promise<Ways> {
  const [numbers, dates]: [string[], string[]] = [[], []]
  const kinds = columns.map((c) => (c === null ? undefined : importField(table, c)?.type))
  let looked = 0
  for await (const { cells } of file.rows()) {
    cells.forEach((cell, i) => {
      if (typeof cell !== 'string') return
      if (kinds[i] === 'number' || kinds[i] === 'money') numbers.push(cell)
      if (kinds[i] === 'date' || kinds[i] === 'date-time') dates.push(cell)
    })
    if (++looked >= LOOKED_AT) break
  }
  const own = waysOf(organisation.locale)
  return { decimal: recogniseDecimal(numbers, own.decimal), dates: recogniseDates(dates, own.dates) }
}

const ROWS_AT_ONCE = 1_000

/** Reads a file's rows as staged ones, in pieces, so that who and what they name is looked up together; rows that cannot be read are noted and left out. */
export class RowReader {
  readonly refused: RefusedRow[] = []
  refusedCount = 0
  rows = 0
  private readonly named = new Map<string, RecordId | 'several' | null>()
  private readonly fields: readonly (FieldDef | null)[]

  constructor(
    private readonly db: Queryable,
    private readonly schema: Schema,
    table: TableDef,
    private readonly columns: Columns,
    private readonly ways: Ways,
    private readonly zone: string,
  ) {
    this.fields = columns.map((c) => (c === null ? null : (importField(table, c) ?? null)))
  }

  /** The names of the fields that are filled, in order. */
  get filled(): string[] {
    return this.columns.filter((c) => c !== null)
  }

  /** The file's rows. @throws AbortError when it was called off */
  async *read(file: FileRows, signal?: AbortSignal, progress?: (share: number) => void): AsyncGenerator<StagedRow> {
    let piece: FileRow[] = []
    for await (const row of file.rows(progress)) {
      signal?.throwIfAborted()
      this.rows++
      if (row.fault !== undefined) this.refuse({ row: row.row, problems: [{ code: 'unreadable', path: '', message: row.fault }] })
      else piece.push(row)
      if (piece.length < ROWS_AT_ONCE) continue
      yield* await this.staged(piece)
      piece = []
    }
    yield* await this.staged(piece)
  }

  refuse(row: RefusedRow): void {
    this.refusedCount++
    if (this.refused.length < MOST_TOLD) this.refused.push(row)
  }

  private async staged(rows: readonly FileRow[]): Promise<StagedRow[]> {
    await this.lookUp(rows)
    const reading: Reading = { ways: this.ways, zone: this.zone, find: (table, text) => this.named.get(`${table} ${text.toLowerCase()}`) ?? null }
    return rows.flatMap(({ row, cells }) => {
      const values: Stored[] = []
      const problems: ValueProblem[] = []
      this.fields.forEach((field, i) => {
        if (!field) return
        const read = readCell(field, cells[i] ?? null, reading)
        if ('problem' in read) problems.push(read.problem)
        else if (field.required && isBlank(read.value) && field.default === undefined && !field.number)
          problems.push({ code: 'required', path: `/${field.name}`, message: `${field.label} must be filled.` })
        else values.push(read.value)
      })
      if (problems.length === 0) return [{ row, values }]
      this.refuse({ row, problems })
      return []
    })
  }

  /** Looks up the people and records that rows name and that are not known yet. */
  private async lookUp(rows: readonly FileRow[]): Promise<void> {
    const wanted = new Map<string, Set<string>>()
    this.fields.forEach((field, i) => {
      const table = field?.type === 'person' ? 'person' : field?.type === 'link' ? field.table : undefined
      if (!table) return
      const texts = wanted.get(table) ?? new Set()
      wanted.set(table, texts)
      for (const { cells } of rows) {
        const text = textOf(cells[i] ?? null)
        if (text !== '' && !this.named.has(`${table} ${text}`)) texts.add(text)
      }
    })
    for (const [table, texts] of wanted) {
      if (texts.size === 0) continue
      const found = await findNamed(this.db, this.schema, table, [...texts])
      for (const text of texts) this.named.set(`${table} ${text}`, found.get(text) ?? null)
    }
  }
}

const textOf = (raw: Raw): string => (raw === null || typeof raw === 'object' ? '' : String(raw).trim().toLowerCase())
