import { mentionedFields } from '@/core/document/mentioned'
import type { CompiledWorkflow } from '@/core/workflow/compiled'
import { positionAt } from '@/store/as-of'
import type { Queryable } from '@/store/database'
import type { Span } from '@/store/history'
import { lateFields } from '@/store/late-fields'
import type { Rehearsal } from './result'

/** Fields that a workflow speaks of and that its table had only later in a span. */
export async function lateIn(db: Queryable, { workflow, surroundings }: CompiledWorkflow, span: Span): Promise<Rehearsal['late']> {
  const mentioned = mentionedFields(workflow, surroundings.schema)
  const ever = await lateFields(db, mentioned, 0)
  if (ever.length === 0) return [] // as mostly; where the span begins in the log takes its time to be found
  const late = await lateFields(db, mentioned, ((await positionAt(db, span.from)) ?? 0) + 1)
  return late.map(({ field, at }) => ({ label: field.label, at }))
}
