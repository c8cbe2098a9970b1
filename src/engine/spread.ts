import type { Pool } from 'pg'
import { isClause } from '@/core/document/condition'
import type { Condition, Workflow } from '@/core/document/document'
import { valueAt } from '@/core/document/pointer'
import { checkPath } from '@/core/paths/path'
import { type Spread, spreadOf } from '@/store/spread'
import { readSchema } from '@/store/tables'

/** Where records lie on what the field of a clause leads to. */
export interface SpreadAtLine extends Spread {
  /** The path that the clause tests. */
  readonly field: string
}

/** Where the records of a workflow's table lie, as they are now, on the value that one of its clauses tests; null for what is no clause, or tests a text. */
export async function spreadAt(pool: Pool, workflow: Workflow, path: string): Promise<SpreadAtLine | null> {
  const clause = path.startsWith('/conditions') ? valueAt<Condition>(workflow, path) : undefined
  if (!clause || !isClause(clause)) return null
  const schema = await readSchema(pool)
  const table = schema.get(workflow.table)
  const checked = table && checkPath(schema, table, clause.field)
  const spread = table && checked && !('problem' in checked) ? await spreadOf(pool, table, checked, schema) : null
  return spread && { field: clause.field, ...spread }
}
