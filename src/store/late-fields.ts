import type { Mentioned } from '@/core/document/mentioned'
import { many, type Queryable } from './database'
import { logOf } from './log'

/** A field that its table did not have from the beginning of the log, and when the first change after it came was recorded. */
export interface LateField extends Mentioned {
  /** Changes before this one were made without it. */
  readonly since: number
  readonly at: Date
}

/** Of some fields, those that changes of their table were recorded without from a position on. One that was there before in another type counts as having been there. */
export async function lateFields(db: Queryable, fields: readonly Mentioned[], from: number): Promise<LateField[]> {
  const found: LateField[] = []
  for (const table of new Set(fields.map((f) => f.table))) {
    const own = fields.filter((f) => f.table === table)
    const rows = await many<{ field: string; since: number }>(
      db,
      'select field, min(since) as since from rappel.log_column where tbl = $1 and field = any($2) group by field having min(since) > $3',
      [table.name, own.map((f) => f.field.name), from],
    )
    for (const { field, since } of rows) {
      const [first] = await many<{ at: Date }>(
        db,
        `select at from ${logOf(table.name)} where id >= $1 and exists (select from ${logOf(table.name)} e where e.id >= $2 and e.id < $1) order by id limit 1`,
        [since, from],
      )
      const known = own.find((f) => f.field.name === field)
      if (first && known) found.push({ ...known, since, at: first.at })
    }
  }
  return found
}
