import type { PoolClient } from 'pg'
import type { Setting } from '@/core/conditions/compile'
import { faultOf } from '@/core/must'
import type { TableDef } from '@/core/values/tables'
import type { BulkCounts } from '@/store/bulk/log'
import {
  advanceNumbers,
  type Between,
  countMissing,
  deleteMissing,
  fillStage,
  isMatched,
  type Merge,
  makeStage,
  mergeStage,
  middleOf,
  stagedRange,
  takeOutAmbiguous,
  tellStage,
} from '@/store/bulk/stage'
import { inSavepoint, type Queryable } from '@/store/database'
import { explained, isFaultOfData } from '@/store/problems'
import type { Opened } from './opened'
import { MOST_TOLD, type RefusedRow, RowReader } from './rows-read'

/** A file about to be imported into a table. */
export interface Import extends Opened {
  readonly table: TableDef
  /** The field by which rows find the records that they change; null: each creates one. */
  readonly key: string | null
  /** Whether records that have a key which no row has are deleted. */
  readonly deleteMissing: boolean
  /** Whether the good rows are taken where others are refused; else it is all or nothing. */
  readonly partly: boolean
}

/** What an import came to. */
export interface Imported extends BulkCounts {
  readonly rows: number
  /** The first rows that were refused; `refused` counts all. */
  readonly refusals: readonly RefusedRow[]
}

/** Rows were refused, and it is all or nothing: nothing was written. */
export class RowsRefused extends Error {
  override readonly name = 'RowsRefused'

  constructor(
    readonly count: number,
    readonly refusals: readonly RefusedRow[],
  ) {
    super(`${count} ${count === 1 ? 'row is' : 'rows are'} refused.`)
  }
}

/** Whether an error is RowsRefused, also one from another bundle's copy of this module. */
export const isRowsRefused = (error: unknown): error is RowsRefused => error instanceof Error && error.name === 'RowsRefused'

export interface ImportOptions {
  readonly setting: Setting
  /** Where who and what rows name is looked up: not on the connection that is given the rows meanwhile. */
  readonly lookups: Queryable
  readonly signal?: AbortSignal
  readonly progress?: (share: number) => void
}

/** Reading is the first part of the work; what is left is writing. */
const READ = 0.6

/** Imports a file within a transaction. @throws RowsRefused, Unreadable, Refused, AbortError */
export async function importFile(db: PoolClient, asked: Import, options: ImportOptions): Promise<Imported> {
  const { table, key, partly } = asked
  const { signal, progress } = options
  const { reader, fields, range, count } = await stageFile(db, asked, options)
  const stopIfRefused = () => {
    if (reader.refusedCount > 0 && !partly) throw new RowsRefused(reader.refusedCount, inOrder(reader.refused))
  }
  stopIfRefused()
  signal?.throwIfAborted()
  progress?.(READ)
  const merging = new Merging(db, { table, fields, key, isForecast: false }, (row) => reader.refuse(row))
  if (count > 0) await merging.merge(range)
  stopIfRefused()
  await advanceNumbers(db, table, fields)
  const deleted = asked.deleteMissing && key !== null ? await deleteMissing(db, table, key).catch((error: unknown) => Promise.reject(explained(error))) : 0
  signal?.throwIfAborted()
  progress?.(1)
  const { created, changed, matched } = merging
  return { rows: reader.rows, created, changed, unchanged: matched - changed, deleted, refused: reader.refusedCount, refusals: inOrder(reader.refused) }
}

/** Reads a file into the stage, without the rows that are refused before anything is written. */
async function stageFile(db: PoolClient, { table, file, columns, key, ways }: Import, { setting, lookups, signal, progress }: ImportOptions) {
  const reader = new RowReader(lookups, setting.schema, table, columns, ways, setting.organisation.zone)
  const fields = reader.filled
  await makeStage(db, table, fields)
  await fillStage(
    db,
    fields,
    reader.read(file, signal, (share) => progress?.(share * READ)),
  )
  if (key !== null) for (const { row, message } of await takeOutAmbiguous(db, table, key)) reader.refuse({ row, problems: [{ code: 'not one record', path: `/${key}`, message }] })
  const { count, ...range } = await stagedRange(db)
  return { reader, fields, range, count }
}

/** Rows that are written at once where it is looked after each piece what it sets off. */
export const PIECE = 2_000

/** An import that is tried: what all of it comes to, as far as that is known before it is written, and the writing of it piece by piece, for whoever looks at what it sets off. */
export interface TriedImport {
  /** What it comes to now: rows that the table's rules refuse are known once their piece is written. */
  told(): Imported
  /** Writes the pieces, one each time; at the end deletes what is missing. */
  pieces(): AsyncGenerator<void>
}

/** Tries a file's import within a transaction that is going to be rolled back; no automatic number is used up. @throws Unreadable, Refused, AbortError */
export async function tryImport(db: PoolClient, asked: Import, options: ImportOptions): Promise<TriedImport> {
  const { table, key } = asked
  const { reader, fields, range, count } = await stageFile(db, asked, options)
  const how: Merge = { table, fields, key, isForecast: true }
  const { created, changed, matched } = await tellStage(db, how)
  const deleted = asked.deleteMissing && key !== null ? await countMissing(db, table, key) : 0
  const merging = new Merging(db, how, (row) => reader.refuse(row))
  return {
    told: () => ({
      rows: reader.rows,
      created: created - merging.refusedNew,
      changed: changed - merging.refusedKnown,
      unchanged: matched - changed,
      deleted,
      refused: reader.refusedCount,
      refusals: inOrder(reader.refused),
    }),
    async *pieces() {
      for (let first = range.first; count > 0 && first <= range.last; first += PIECE) {
        options.signal?.throwIfAborted()
        await merging.merge({ first, last: Math.min(range.last, first + PIECE - 1) })
        yield
      }
      if (deleted > 0 && key !== null) {
        await deleteMissing(db, table, key)
        yield
      }
    },
  }
}

const inOrder = (refusals: readonly RefusedRow[]) => [...refusals].sort((a, b) => a.row - b.row)

/** Writes staged rows; where the database refuses some, those are found by halves, and the others are written. */
class Merging {
  created = 0
  changed = 0
  matched = 0
  /** Rows that the database refused: that would have created a record, and changed one. */
  refusedNew = 0
  refusedKnown = 0

  constructor(
    private readonly db: PoolClient,
    private readonly how: Merge,
    private readonly refuse: (row: RefusedRow) => void,
  ) {}

  async merge(range: Between): Promise<void> {
    try {
      const done = await inSavepoint(this.db, () => mergeStage(this.db, this.how, range))
      this.created += done.created
      this.changed += done.changed
      this.matched += done.matched
    } catch (error) {
      if (!isFaultOfData(error)) throw error
      const { count, middle } = await middleOf(this.db, range)
      if (count <= 1) return await this.note(middle, error)
      await this.merge({ first: range.first, last: middle })
      await this.merge({ first: middle + 1, last: range.last })
    }
  }

  private async note(row: number, error: unknown): Promise<void> {
    if (await isMatched(this.db, this.how, row)) this.refusedKnown++
    else this.refusedNew++
    if (this.refusedNew + this.refusedKnown > MOST_TOLD) throw error // so many are no slips of single rows
    this.refuse({ row, problems: [{ code: 'refused', path: '', message: faultOf(explained(error)) }] })
  }
}
