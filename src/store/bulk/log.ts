import type { ChangedBy } from '@/core/changes/change'
import { many, maybeOne, one, type Queryable } from '../database'

/** What came of many records written at once. */
export interface BulkCounts {
  readonly created: number
  readonly changed: number
  readonly unchanged: number
  readonly deleted: number
  readonly refused: number
}

/** Many records written at once, as the log has it. */
export interface BulkRow extends BulkCounts {
  readonly id: number
  readonly tbl: string
  readonly kind: 'import' | 'edit' | 'delete'
  readonly name: string
  readonly by: ChangedBy
  readonly quiet: boolean
  readonly at: Date
}

/** The last change that was given an id; what this transaction writes from now on comes after it. */
export const lastChange = async (db: Queryable): Promise<number> =>
  (await one<{ id: number }>(db, 'select case when is_called then last_value else last_value - 1 end as id from rappel.change_id')).id

/** Notes in its own transaction that many records were written; answers the id. `after` is the last change before. */
export async function noteBulk(
  db: Queryable,
  { tbl, kind, name, by, quiet, at, created, changed, unchanged, deleted, refused }: Omit<BulkRow, 'id'>,
  after: number,
): Promise<number> {
  const { id } = await one<{ id: number }>(
    db,
    `insert into rappel.bulk (tbl, kind, name, by, quiet, at, first_change, last_change, created, changed, unchanged, deleted, refused)
     values ($1, $2, $3, $4, $5, $6, $7, (select last_value from rappel.change_id), $8, $9, $10, $11, $12) returning id`,
    [tbl, kind, name, JSON.stringify(by), quiet, at, after + 1, created, changed, unchanged, deleted, refused],
  )
  return id
}

const COLUMNS = 'id, tbl, kind, name, by, quiet, at, created, changed, unchanged, deleted, refused'

/** What was written at once of late, the newest first, of one table or all; those before an id where it is given. */
export const listBulk = (
  db: Queryable,
  { table = null, before = null, limit }: { readonly table?: string | null; readonly before?: number | null; readonly limit: number },
): Promise<BulkRow[]> =>
  many<BulkRow>(db, `select ${COLUMNS} from rappel.bulk where ($1::text is null or tbl = $1) and ($2::bigint is null or id < $2) order by id desc limit $3`, [table, before, limit])

/** One of them, or null. */
export const readBulk = (db: Queryable, id: number): Promise<BulkRow | null> => maybeOne<BulkRow>(db, `select ${COLUMNS} from rappel.bulk where id = $1`, [id])

/** What one set off: runs, their messages and their notices by workflow, the most first. */
export const setOffBy = (db: Queryable, id: number): Promise<{ workflow: string; runs: number; failed: number; messages: number; notices: number }[]> =>
  many(
    db,
    `select w.name as workflow, count(*)::int as runs, count(*) filter (where r.state = 'failed')::int as failed,
            sum((select count(*) from rappel.message m where m.run = r.id))::int as messages,
            sum((select count(*) from rappel.notice n where n.run = r.id))::int as notices
       from rappel.bulk b join rappel.run r on r.change_id between b.first_change and b.last_change join rappel.workflow w on w.id = r.workflow
      where b.id = $1 and r.trial is null and exists (select from rappel.change_bare c where c.id = r.change_id and c.xid = b.xid) group by w.name order by 2 desc, 1`,
    [id],
  )
