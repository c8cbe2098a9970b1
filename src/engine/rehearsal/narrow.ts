import type { Pool } from 'pg'
import type { Change } from '@/core/changes/change'
import { isExactInSql } from '@/core/conditions/sql'
import type { RecordCue } from '@/core/document/document'
import { holdsByPath, isAlive } from '@/core/rehearsal/alive'
import { type AliveLine, aliveLines } from '@/core/rehearsal/lines'
import { type Step, sieveOf } from '@/core/rehearsal/sieve'
import type { CompiledWorkflow } from '@/core/workflow/compiled'
import { isCued } from '@/core/workflow/judge'
import type { Queryable } from '@/store/database'
import { changesApart, changesById, type HistoryQuery, type Span, siftHistory } from '@/store/history'
import { logSource } from '@/store/log-source'
import type { Settled } from '../settle'
import { Past } from './past'

/** How many past changes are alive at each line of a workflow. */
export interface Narrowing {
  readonly span: Span
  /** Changes of the table in the span, and the moment of the first; null where there is none. */
  readonly changes: number
  readonly first: Date | null
  /** Changes that the cue waits for. */
  readonly cued: number
  /** Alive at each line of the conditions, in reading order; paths are JSON Pointers. */
  readonly survivors: readonly { readonly path: string; readonly count: number }[]
  readonly firings: number
  /** Changes at which the conditions held as they had before. */
  readonly heldBefore: number
}

/** What the lines of a workflow came to, and the changes that fire it, the newest first. */
export interface Narrowed {
  readonly narrowing: Narrowing
  readonly firing: readonly number[]
}

/** Whoever waits for a narrowing: may call it off, and is told how much is done, from 0 to 1. */
export interface Watch {
  readonly signal?: AbortSignal
  readonly progress?: (done: number) => void
}

/** Few enough that the process answers others between them, also where a formula is worked out for each. */
const CHUNK = 150

/** The record cue of a workflow whose past changes are looked at. @throws Error where it has another cue, which looks at no changes */
export function recordCue({ cue }: CompiledWorkflow): RecordCue {
  if (cue.kind !== 'record') throw new Error(`A ${cue.kind} cue looks at no changes.`)
  return cue
}

/** What history is read with for a workflow. */
export async function historyQuery(db: Queryable, compiled: CompiledWorkflow, span: Span): Promise<HistoryQuery> {
  const { table, surroundings } = compiled
  const query = { table, span, setting: surroundings }
  const [source, apart] = await Promise.all([logSource(db, table.name), changesApart(db, query)])
  return { ...query, cue: recordCue(compiled), source, apart }
}

/**
 * Counts the changes of a span that are alive at each line of a workflow, and finds those that fire it. What the database can count it counts;
 * from the first line on where linked data, formulas or whose record it is decide, changes are evaluated one by one with linked data as it stood.
 * @throws AbortError when it was called off
 */
export async function narrow(db: Pool, compiled: CompiledWorkflow, query: HistoryQuery, watch: Watch = {}): Promise<Narrowed> {
  const { conditions, firing: way = 'entering' } = compiled.workflow
  const lines = conditions ? aliveLines(conditions) : []
  const { steps, isWhole } = exactSteps(compiled)
  const last = isWhole ? { condition: conditions, firing: way } : { condition: undefined, firing: 'every' as const }
  const sifted = await siftHistory(db, query, { steps, last })
  const rest = new Tally(isWhole ? lines : lines.filter((l) => !sifted.alive.has(l.path)))
  const past = new Past(db, { setting: compiled.surroundings, dry: true })
  if (!isWhole) await evaluateOneByOne(db, compiled, sifted.through, rest, past, watch)
  const apart = new Tally(lines)
  if (query.apart.changes.length) apart.add(compiled, query.apart.changes, await past.settle(compiled, query.apart.changes, true))
  const firings = isWhole ? sifted.through : rest.fired
  return {
    narrowing: {
      span: query.span,
      changes: sifted.changes + query.apart.changes.length,
      first: [sifted.first, ...query.apart.changes.map((c) => c.at)].reduce((first, at) => (at && (!first || at < first) ? at : first), null),
      cued: (recordCue(compiled).whose ? rest.cued : sifted.cued) + apart.cued,
      survivors: lines.map(({ path }) => ({ path, count: (sifted.alive.get(path) ?? rest.alive.get(path) ?? 0) + (apart.alive.get(path) ?? 0) })),
      firings: firings.length + apart.fired.length,
      heldBefore: (isWhole ? sifted.passed - firings.length : rest.heldBefore) + apart.heldBefore,
    },
    firing: [...firings, ...apart.fired].sort((a, b) => b - a),
  }
}

/** The first steps of the conditions as far as the database can tell about each, and whether those are all and nothing else decides. */
function exactSteps(compiled: CompiledWorkflow): { steps: Step[]; isWhole: boolean } {
  const { workflow, table, surroundings } = compiled
  const all = sieveOf(workflow.conditions)
  const inexact = recordCue(compiled).whose ? 0 : all.findIndex((step) => !isExactInSql(step.lets, table, surroundings))
  return inexact < 0 ? { steps: all, isWhole: true } : { steps: all.slice(0, inexact), isWhole: false }
}

async function evaluateOneByOne(db: Queryable, compiled: CompiledWorkflow, ids: readonly number[], tally: Tally, past: Past, { signal, progress }: Watch): Promise<void> {
  for (let i = 0; i < ids.length; i += CHUNK) {
    signal?.throwIfAborted()
    const chunk = await changesById(db, compiled.table.name, ids.slice(i, i + CHUNK))
    tally.add(compiled, chunk, await past.settle(compiled, chunk, true))
    progress?.(Math.min(1, (i + CHUNK) / ids.length))
  }
}

/** Changes by their ids, in the order of the ids; those of transactions that changed a record several times come as what they amount to. */
export async function changesOf(db: Queryable, query: HistoryQuery, ids: readonly number[]): Promise<Change[]> {
  const apart = new Map(query.apart.changes.map((c) => [c.id, c]))
  const single = new Map((await changesById(db, query.table.name, apart.size ? ids.filter((id) => !apart.has(id)) : ids)).map((c) => [c.id, c]))
  return ids.flatMap((id) => apart.get(id) ?? single.get(id) ?? [])
}

/** Counts over changes that were evaluated one by one. */
class Tally {
  cued = 0
  heldBefore = 0
  readonly fired: number[] = []
  readonly alive: Map<string, number>

  constructor(lines: readonly AliveLine[]) {
    this.alive = new Map(lines.map((line) => [line.path, 0]))
  }

  add(compiled: CompiledWorkflow, changes: readonly Change[], settled: readonly Settled[]): void {
    const { conditions } = compiled.workflow
    changes.forEach((change, i) => {
      const outcome = settled[i]
      const plan = outcome && 'plan' in outcome ? outcome.plan : null
      const isTheirs = !plan || plan.clauses.length > 0 || plan.fires || plan.decision === 'held before'
      if (!isCued(compiled, change) || (recordCue(compiled).whose && !isTheirs)) return
      this.cued++
      if (plan?.fires) this.fired.push(change.id)
      if (plan?.decision === 'held before') this.heldBefore++
      if (!plan || !conditions) return
      const results = new Map(plan.clauses.map((c) => [c.path, c]))
      const holds = holdsByPath(conditions, '/conditions', results)
      for (const [path, count] of this.alive) if (isAlive(path, conditions, holds)) this.alive.set(path, count + 1)
    })
  }
}
