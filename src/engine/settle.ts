import type { Change } from '@/core/changes/change'
import { type Loaded, type Need, needKey } from '@/core/paths/lookups'
import { type CompiledWorkflow, evaluateOrNeed, type Plan } from '@/core/workflow/evaluate'
import type { Queryable } from '@/store/database'
import { type Loading, loadNeeds } from '@/store/lookups'

/** A workflow to be tried against a change. */
export interface Candidate {
  readonly compiled: CompiledWorkflow
  readonly change: Change
}

/** What came of one: its plan, or the reason it failed. */
export type Settled = { readonly plan: Plan } | { readonly fault: string }

/** Loads what is needed; by default as it is now. */
export type Load = (needs: readonly Need[], loaded: Map<string, unknown>) => Promise<void>

const MAX_ROUNDS = 200

/**
 * Evaluates many workflows against many changes, loading what they need for all of them at once, round by round.
 * Answers in the order given. With `explain`, also what does not fire is explained clause by clause.
 */
export async function settle(
  db: Queryable,
  candidates: readonly Candidate[],
  explain: boolean,
  loading: Loading,
  load: Load = (needs, loaded) => loadNeeds(db, needs, loaded, loading),
): Promise<Settled[]> {
  const loaded = new Map<string, unknown>()
  const settled = new Array<Settled>(candidates.length)
  let open = candidates.map((candidate, i) => ({ ...candidate, i }))
  for (let round = 0; open.length > 0; round++) {
    if (round === MAX_ROUNDS) throw new Error('An evaluation kept asking for more data and was stopped.')
    const needs = new Map<string, Need>()
    open = open.filter(({ compiled, change, i }) => {
      const outcome = evaluateSafely(compiled, change, loaded, explain)
      if ('needs' in outcome) {
        for (const need of outcome.needs) needs.set(needKey(need), need)
        return true
      }
      settled[i] = outcome
      return false
    })
    if (open.length > 0) await load([...needs.values()], loaded)
  }
  return settled
}

/** Evaluates over loaded data; what goes wrong on the way is its outcome. */
export function evaluateSafely(compiled: CompiledWorkflow, change: Change, loaded: Loaded, explain: boolean): Settled | { needs: readonly Need[] } {
  try {
    return evaluateOrNeed(compiled, change, loaded, explain)
  } catch (error) {
    return { fault: error instanceof Error ? error.message : String(error) }
  }
}
