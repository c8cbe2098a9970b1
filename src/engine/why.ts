import type { Change } from '@/core/changes/change'
import { changeOccasion } from '@/core/cues/occasion'
import type { Workflow } from '@/core/document/document'
import { must } from '@/core/must'
import { compileWorkflow } from '@/core/workflow/evaluate'
import type { Surroundings } from '@/core/workflow/surroundings'
import { loadNeedsAsOf, positionOf } from '@/store/as-of'
import type { Queryable } from '@/store/database'
import { type Settled, settle } from './settle'

/** Works out why a recorded change fires a workflow or not, with linked records, lists, people and teams as they stood at the end of its transaction. Nothing is sent or written. */
export async function explainChange(db: Queryable, workflow: Workflow, change: Change, surroundings: Surroundings): Promise<Settled> {
  const position = (await positionOf(db, change.id)) ?? change.id
  const loading = { setting: surroundings, dry: true }
  const [settled] = await settle(db, [{ compiled: compileWorkflow(workflow, surroundings), occasion: changeOccasion(change) }], true, loading, {}, (needs, loaded) =>
    loadNeedsAsOf(db, needs, loaded, loading, position, change.at),
  )
  return must(settled)
}
