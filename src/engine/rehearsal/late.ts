import { mentionedFields } from '@/core/document/mentioned'
import type { CompiledWorkflow } from '@/core/workflow/compiled'
import { positionAt } from '@/store/as-of'
import type { Queryable } from '@/store/database'
import type { Span } from '@/store/history'
import { lateFields } from '@/store/late-fields'
import type { Rehearsal } from './result'

/** Fields that a workflow speaks of and that its table had only later in a span. */
export async function lateIn(db: Queryable, { workflow, surroundings }: CompiledWorkflow, span: Span): Promise<Rehearsal['late']> {
  const late = await lateFields(db, mentionedFields(workflow, surroundings.schema), ((await positionAt(db, span.from)) ?? 0) + 1)
  return late.map(({ field, at }) => ({ label: field.label, at }))
}
