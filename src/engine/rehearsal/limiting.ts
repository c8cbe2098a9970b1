import { type Limiting, limitingOf } from '@/core/limits/limiting'
import type { CompiledWorkflow } from '@/core/workflow/compiled'
import type { Queryable } from '@/store/database'
import { saidOf } from '@/store/limits/own-say'

/** The simulation of a workflow's limits, with what recipients asked for of the workflow of that name as it is now; null where there is nothing to simulate. */
export async function limitingFor(db: Queryable, { workflow, surroundings }: CompiledWorkflow): Promise<Limiting | null> {
  return limitingOf(workflow, surroundings.organisation, (await saidOf(db, workflow.name)) ?? undefined)
}
