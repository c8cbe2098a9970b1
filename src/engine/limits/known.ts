import type { Occasion } from '@/core/cues/occasion'
import type { Workflow } from '@/core/document/document'
import { aboutOf, gate, gatedPlan, keysOf, type Passing } from '@/core/limits/gate'
import { NOTHING_SAID, type Said } from '@/core/limits/own-say'
import { dayOf } from '@/core/values/dates'
import type { Organisation } from '@/core/values/tables'
import type { Plan } from '@/core/workflow/plan'
import type { Queryable } from '@/store/database'
import { saidOf } from '@/store/limits/own-say'
import { type PassedRow, readPassed } from '@/store/limits/passed'

/** A plan of a dry run, with what it is about. */
export interface Dry {
  readonly occasion: Occasion
  readonly plan: Plan
}

/** Nothing passed before, and nobody asked for anything. */
const NOTHING_PASSED: Passing = { last: () => null, passedOn: () => 0, said: NOTHING_SAID }

/** Lets the plan of an example through its limits as the first of its kind. */
export const gateFirst = ({ plan, occasion }: Dry, { limits }: Workflow, organisation: Organisation): Plan =>
  gatedPlan(plan, gate(plan, limits, aboutOf(occasion), 'tried', NOTHING_PASSED, organisation))

/** Lets dry plans through their workflow's limits in order, after all that passed of the workflow of that name until now; nothing is noted. */
export async function gateDry(db: Queryable, plans: readonly Dry[], workflow: Workflow, organisation: Organisation): Promise<Plan[]> {
  const said = await saidOf(db, workflow.name)
  const { limits } = workflow
  if (!said && !limits) return plans.map((p) => p.plan)
  const keys = plans.flatMap(({ plan, occasion }) => keysOf(plan, limits, aboutOf(occasion)))
  const passed = await readPassed(db, workflow.name, keys, dayOf(plans[0]?.occasion.at ?? new Date(), organisation.zone))
  const passing = new Passed(passed.last, passed.onDay, said ?? NOTHING_SAID)
  return plans.map(({ plan, occasion }) => {
    const gated = gate(plan, limits, aboutOf(occasion), occasion.key, passing, organisation)
    passing.note(gated.keys, { at: occasion.at, run: occasion.key }, gated.counted)
    return gatedPlan(plan, gated)
  })
}

/** What passed of a workflow, in earnest and in this dry run. */
class Passed implements Passing {
  constructor(
    private readonly keys: Map<string, PassedRow>,
    private onDay: number,
    readonly said: Said,
  ) {}

  last(key: string): PassedRow | null {
    return this.keys.get(key) ?? null
  }

  passedOn(): number {
    return this.onDay
  }

  note(keys: readonly string[], row: PassedRow, counted: number): void {
    for (const key of keys) this.keys.set(key, row)
    this.onDay += counted
  }
}
