import type { Workflow } from '@/core/document/document'
import type { Lookups } from '@/core/paths/lookups'
import { type Image, idOf, type RecordId } from '@/core/values/tables'
import type { CompiledWorkflow } from '@/core/workflow/compiled'
import { compileWorkflow } from '@/core/workflow/evaluate'
import { asQuery, fitsNow } from '@/core/workflow/judge'
import type { Surroundings } from '@/core/workflow/surroundings'
import type { Queryable } from '@/store/database'
import { countFitting, type FittingQuery, fittingPage } from '@/store/fitting'
import { groupsNow } from '../figures/groups'
import { decidingOnly } from '../program'
import { ask } from '../settle'

const A_PAGE = 500

/** What the records that may fit a workflow's conditions at a moment are found by. */
export function fittingQuery({ table, workflow: { conditions }, surroundings }: CompiledWorkflow, at: Date): FittingQuery {
  return { table, setting: surroundings, where: conditions && asQuery(conditions), at }
}

/** Whether all records that are found by it fit; else formulas, or whose they are, have the last word. */
export const isToldByQuery = ({ usesFormulas, cue }: CompiledWorkflow): boolean => !usesFormulas && !(cue.kind === 'record' && cue.whose)

/** How many records fit a workflow's conditions as they stand now. */
export async function countFits(db: Queryable, workflow: Workflow, surroundings: Surroundings, at = new Date()): Promise<number> {
  const compiled = compileWorkflow(decidingOnly(workflow), surroundings)
  if ('per' in workflow.cue && workflow.cue.per === 'group') return (await groupsNow(db, compiled, at)).fitting.length
  const query = fittingQuery(compiled, at)
  if (isToldByQuery(compiled)) return countFitting(db, query)
  let count = 0
  for (let after: RecordId | null = null; ; ) {
    const page = await fittingPage(db, query, after, A_PAGE)
    const questions = page.map((image) => (lookups: Lookups) => fitsNow(compiled, image, at, lookups))
    count += (await ask(db, questions, { setting: surroundings, dry: true })).filter(Boolean).length
    const last: Image | undefined = page.at(-1)
    if (page.length < A_PAGE || !last) return count
    after = idOf(last)
  }
}
