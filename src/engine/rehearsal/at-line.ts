import type { Change } from '@/core/changes/change'
import type { Condition } from '@/core/document/condition'
import { holdsByPath, isAlive } from '@/core/rehearsal/alive'
import { aliveLines } from '@/core/rehearsal/lines'
import { type PastChange, pointedAt } from '@/core/rehearsal/tally'
import type { CompiledWorkflow } from '@/core/workflow/compiled'
import type { Plan } from '@/core/workflow/evaluate'
import type { Queryable } from '@/store/database'
import { changesHolding, type Span } from '@/store/history'
import { historyQuery } from './narrow'
import { Past } from './past'

/** A past change at a line, with what its clause looked at; no values where the line is no clause. */
export interface ChangeAtLine {
  readonly change: PastChange
  readonly field: string | null
  readonly before: unknown
  readonly after: unknown
}

/** The newest changes that a line stopped, and the newest that went on. */
export interface AtLine {
  readonly stopped: readonly ChangeAtLine[]
  readonly on: readonly ChangeAtLine[]
}

const SHOWN = 5
const LOOKED_AT = 400

/** Which past changes a line of the conditions stopped and which went on, of those that were alive before it; null for a path that is no such line. */
export async function lookAtLine(db: Queryable, compiled: CompiledWorkflow, span: Span, path: string): Promise<AtLine | null> {
  const { conditions, firing = 'entering' } = compiled.workflow
  if (!conditions) return null
  const query = await historyQuery(db, compiled, span)
  const past = new Past(db, { setting: compiled.surroundings, dry: true })
  const pick = async (condition: Condition | undefined, way: 'entering' | 'every', wanted: (plan: Plan) => boolean): Promise<ChangeAtLine[]> => {
    const likely = await changesHolding(db, query, { condition, firing: way, limit: LOOKED_AT })
    const changes = [...likely, ...query.apart.changes].sort((a, b) => b.id - a.id)
    const settled = await past.settle(compiled, changes, true)
    return changes
      .flatMap((change, i) => {
        const outcome = settled[i]
        return outcome && 'plan' in outcome && wanted(outcome.plan) ? [atLine(change, outcome.plan, path, compiled)] : []
      })
      .slice(0, SHOWN)
  }
  if (path === '/conditions' && firing === 'entering')
    return { stopped: await pick(conditions, 'every', (plan) => plan.decision === 'held before'), on: await pick(conditions, 'entering', (plan) => plan.fires) }
  const line = aliveLines(conditions).find((l) => l.path === path)
  if (!line) return null
  const holds = (plan: Plan) => plan.clauses.length > 0 && holdsByPath(conditions, '/conditions', new Map(plan.clauses.map((c) => [c.path, c])))
  const alive = (plan: Plan) => {
    const found = holds(plan)
    return found !== false && isAlive(path, conditions, found)
  }
  const wasAlive = (plan: Plan) => {
    const found = holds(plan)
    return found !== false && isAlive(path, conditions, new Map([...found, [path, !path.includes('/none/')]]))
  }
  return {
    stopped: await pick({ all: [...(line.before ? [line.before] : []), { none: [line.alive] }] }, 'every', (plan) => wasAlive(plan) && !alive(plan)),
    on: await pick(line.alive, 'every', alive),
  }
}

function atLine(change: Change, plan: Plan, path: string, { table }: CompiledWorkflow): ChangeAtLine {
  const clause = plan.clauses.find((c) => c.path === path)
  return { change: pointedAt(change, table), field: clause?.field ?? null, before: clause?.before ?? null, after: clause?.after ?? null }
}
