import type { Pool, PoolClient } from 'pg'
import type { ChangedBy } from '@/core/changes/change'
import type { Setting } from '@/core/conditions/compile'
import { must } from '@/core/must'
import type { Image } from '@/core/values/tables'
import { type BulkCounts, lastChange, noteBulk } from '@/store/bulk/log'
import { type Queryable, transaction } from '@/store/database'
import { countEdited, countWhich, deleteRecords, editRecords, idsOf, type Which } from '@/store/records'
import { actAs } from '@/store/who'
import { type ImportOptions, importFile, PIECE, tryImport } from './import'
import { type FileAsked, type Opened, openImport } from './opened'
import type { RefusedRow } from './rows-read'

/** Many records about to be written at once: a mass edit, a mass deletion, or a file. */
export type Bulk = { readonly table: string } & (
  | { readonly kind: 'edit'; readonly which: Which; readonly set: Image }
  | { readonly kind: 'delete'; readonly which: Which }
  | ({ readonly kind: 'import' } & FileAsked)
)

/** What came of it, or would. */
export interface Written extends BulkCounts {
  /** The first rows of a file that were refused. */
  readonly refusals: readonly RefusedRow[]
}

export type WriteOptions = Omit<ImportOptions, 'lookups'> & {
  /** What else is written in the same transaction, once all is; it is told the id in the log. */
  readonly also?: (db: Queryable, bulk: number) => Promise<void>
}

const NOTHING: Written = { created: 0, changed: 0, unchanged: 0, deleted: 0, refused: 0, refusals: [] }

/** Looks into what is to be written before a transaction begins: of a file its columns and ways, of anything else nothing. @throws Unreadable */
export async function openBulk(bulk: Bulk, { schema, organisation }: Setting): Promise<Opened | null> {
  return bulk.kind === 'import' ? openImport(bulk, must(schema.get(bulk.table)), organisation) : null
}

/** Writes many records within a transaction; `opened` is what was seen of them before. @throws RowsRefused, Unreadable, Refused, AbortError */
export async function writeBulk(pool: Pool, db: PoolClient, bulk: Bulk, opened: Opened | null, options: WriteOptions): Promise<Written> {
  const { setting } = options
  const table = must(setting.schema.get(bulk.table))
  if (bulk.kind === 'edit') {
    const matched = await countWhich(db, table, setting, bulk.which)
    const changed = await editRecords(db, table, setting, bulk.which, bulk.set)
    return { ...NOTHING, changed, unchanged: matched - changed }
  }
  if (bulk.kind === 'delete') return { ...NOTHING, deleted: await deleteRecords(db, table, setting, bulk.which) }
  const { key, deleteMissing, partly } = bulk
  return importFile(db, { ...must(opened), table, key, deleteMissing, partly }, { ...options, lookups: pool })
}

/** Pieces that an edit or a deletion is tried in, at most: more are never looked at. */
const MOST_PIECES = 50

/** Many records that are tried within a transaction which is going to be rolled back: what all of it comes to, and the writing of it piece by piece. */
export interface Tried {
  told(): Written
  pieces(): AsyncGenerator<void>
}

/** Tries many records: counts what all of it comes to without writing it, and writes it piece by piece for whoever looks at what it sets off. @throws Unreadable, Refused, AbortError */
export async function tryBulk(pool: Pool, db: PoolClient, bulk: Bulk, opened: Opened | null, options: WriteOptions): Promise<Tried> {
  const { setting } = options
  const table = must(setting.schema.get(bulk.table))
  if (bulk.kind === 'import') {
    const { key, deleteMissing, partly } = bulk
    return tryImport(db, { ...must(opened), table, key, deleteMissing, partly }, { ...options, lookups: pool })
  }
  const matched = await countWhich(db, table, setting, bulk.which)
  const changed = bulk.kind === 'edit' ? await countEdited(db, table, setting, bulk.which, bulk.set) : matched
  const ids = await idsOf(db, table, setting, bulk.which, bulk.kind === 'edit' ? bulk.set : null, PIECE * MOST_PIECES)
  return {
    told: () => (bulk.kind === 'edit' ? { ...NOTHING, changed, unchanged: matched - changed } : { ...NOTHING, deleted: matched }),
    async *pieces() {
      for (let i = 0; i < ids.length; i += PIECE) {
        options.signal?.throwIfAborted()
        const some = { ids: ids.slice(i, i + PIECE) }
        if (bulk.kind === 'edit') await editRecords(db, table, setting, some, bulk.set)
        else await deleteRecords(db, table, setting, some)
        yield
      }
    },
  }
}

/** In whose name, and under which name, many records are written. */
export interface BulkAs {
  readonly by: ChangedBy
  readonly name: string
  /** Whether workflows let it pass by. */
  readonly quiet: boolean
}

/** Writes many records as one transaction, and notes it in the log as one thing. @throws RowsRefused, Unreadable, Refused, AbortError: then nothing is written */
export async function doBulk(pool: Pool, bulk: Bulk, { by, name, quiet }: BulkAs, options: WriteOptions): Promise<Written & { readonly bulk: number }> {
  const opened = await openBulk(bulk, options.setting)
  return transaction(pool, async (db) => {
    const who: ChangedBy = { ...by, ...(bulk.kind === 'import' ? { kind: 'import' as const } : {}), ...(quiet ? { quiet: true as const } : {}) }
    await actAs(db, { by: who })
    const after = await lastChange(db)
    const written = await writeBulk(pool, db, bulk, opened, options)
    const id = await noteBulk(db, { ...written, tbl: bulk.table, kind: bulk.kind, name, by: who, quiet, at: new Date() }, after)
    await options.also?.(db, id)
    return { ...written, bulk: id }
  })
}
