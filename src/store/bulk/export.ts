import type { Pool } from 'pg'
import type { Setting } from '@/core/conditions/compile'
import type { Condition } from '@/core/document/condition'
import type { Image, TableDef } from '@/core/values/tables'
import { many, type Queryable, transaction } from '../database'
import { listSql } from '../records'

/** How many records are read at once. */
const PAGE = 2_000

/** Every record that a condition finds, in order, as all stood at one moment; `work` is given them page by page, however many there are. */
export function eachPage<T>(
  pool: Pool,
  table: TableDef,
  setting: Setting,
  query: { readonly where?: Condition; readonly order?: string },
  work: (pages: AsyncGenerator<Image[]>, db: Queryable) => Promise<T>,
): Promise<T> {
  return transaction(
    pool,
    async (db) => {
      const { text, params } = listSql(table, setting, query)
      await db.query(`declare exported no scroll cursor for ${text}`, params)
      async function* pages(): AsyncGenerator<Image[]> {
        for (;;) {
          const rows = await many<{ image: Image }>(db, `fetch ${PAGE} from exported`)
          if (rows.length === 0) return
          yield rows.map((r) => r.image)
        }
      }
      return work(pages(), db)
    },
    'repeatable read, read only',
  )
}
