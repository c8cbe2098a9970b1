import type { Pool, PoolClient } from 'pg'
import type { Ways } from '@/core/bulk/ways'
import type { ChangedBy } from '@/core/changes/change'
import type { Setting } from '@/core/conditions/compile'
import { must } from '@/core/must'
import type { Image, Organisation } from '@/core/values/tables'
import { type BulkCounts, lastChange, noteBulk } from '@/store/bulk/log'
import { transaction } from '@/store/database'
import { deleteRecords, editRecords, type Which } from '@/store/records'
import { actAs } from '@/store/who'
import { openRows } from './files/open'
import { type ImportOptions, importFile } from './import'
import { columnsOf, type RefusedRow, recogniseWays } from './rows-read'

/** Many records about to be written at once: a mass edit, a mass deletion, or a file. */
export type Bulk = { readonly table: string } & (
  | { readonly kind: 'edit'; readonly which: Which; readonly set: Image }
  | { readonly kind: 'delete'; readonly which: Which }
  | ({ readonly kind: 'import' } & FileAsked)
)

/** A file about to be imported, and how. */
export interface FileAsked {
  /** Where it lies. */
  readonly path: string
  /** Fields of headings that were chosen by hand; null: none. */
  readonly columns?: Readonly<Record<string, string | null>>
  /** Ways that were chosen by hand. */
  readonly ways?: Partial<Ways>
  readonly key: string | null
  readonly deleteMissing: boolean
  readonly partly: boolean
}

/** What came of it, or would. */
export interface Written extends BulkCounts {
  /** The first rows of a file that were refused. */
  readonly refusals: readonly RefusedRow[]
}

export interface WriteOptions extends Omit<ImportOptions, 'schema' | 'organisation' | 'lookups'> {
  readonly setting: Setting
  readonly organisation: Organisation
}

const NOTHING: Written = { created: 0, changed: 0, unchanged: 0, deleted: 0, refused: 0, refusals: [] }

/** Writes many records within a transaction. @throws RowsRefused, Unreadable, Refused, AbortError */
export async function writeBulk(pool: Pool, db: PoolClient, bulk: Bulk, { setting, organisation, ...options }: WriteOptions): Promise<Written> {
  const table = must(setting.schema.get(bulk.table))
  if (bulk.kind === 'edit') {
    const { matched, changed } = await editRecords(db, table, setting, bulk.which, bulk.set)
    return { ...NOTHING, changed, unchanged: matched - changed }
  }
  if (bulk.kind === 'delete') return { ...NOTHING, deleted: await deleteRecords(db, table, setting, bulk.which) }
  const file = await openRows(bulk.path)
  const columns = columnsOf(file, table, bulk.columns, bulk.key)
  const ways = { ...(await recogniseWays(file, columns, table, organisation)), ...bulk.ways }
  const { key, deleteMissing, partly } = bulk
  return importFile(db, { table, file, columns, ways, key, deleteMissing, partly }, { ...options, schema: setting.schema, organisation, lookups: pool })
}

/** In whose name, and under which name, many records are written. */
export interface BulkAs {
  readonly by: ChangedBy
  readonly name: string
  /** Whether workflows let it pass by. */
  readonly quiet: boolean
}

/** Writes many records as one transaction, and notes it in the log as one thing. @throws RowsRefused, Unreadable, Refused, AbortError: then nothing is written */
export function doBulk(pool: Pool, bulk: Bulk, { by, name, quiet }: BulkAs, options: WriteOptions): Promise<Written & { readonly bulk: number }> {
  return transaction(pool, async (db) => {
    const who: ChangedBy = { ...by, ...(bulk.kind === 'import' ? { kind: 'import' as const } : {}), ...(quiet ? { quiet: true as const } : {}) }
    await actAs(db, { by: who })
    const after = await lastChange(db)
    const written = await writeBulk(pool, db, bulk, options)
    return { ...written, bulk: await noteBulk(db, { ...written, tbl: bulk.table, kind: bulk.kind, name, by: who, quiet, at: new Date() }, after) }
  })
}
