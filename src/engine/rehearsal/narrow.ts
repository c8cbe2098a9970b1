import type { Change } from '@/core/changes/change'
import { type Condition, isClause } from '@/core/conditions/clause'
import type { ClauseResult } from '@/core/conditions/compile'
import { isExactInSql } from '@/core/conditions/sql'
import { type AliveLine, aliveLines } from '@/core/rehearsal/lines'
import { type CompiledWorkflow, HELD_BEFORE, isCued } from '@/core/workflow/evaluate'
import type { Queryable } from '@/store/database'
import { changesHolding, countHistory, countHolding, type HistoryQuery, netChangesOf, rowsApart, type Span } from '@/store/history'
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

const CHUNK = 500

/** What history is read with for a workflow. */
export async function historyQuery(db: Queryable, compiled: CompiledWorkflow, span: Span): Promise<HistoryQuery> {
  const { table, cue, surroundings } = compiled
  return { table, span, cue, setting: surroundings, apart: await rowsApart(db, table.name, span) }
}

/** Whether the database alone can say how many changes a workflow lets through: nothing looks through a link, works out a formula, or asks whose record it is. */
function isExact({ cue, workflow, table, surroundings }: CompiledWorkflow): boolean {
  return !cue.whose && (!workflow.conditions || isExactInSql(workflow.conditions, table, surroundings))
}

/**
 * Counts the changes of a span that are alive at each line of a workflow, and those that fire it. What the database can count it counts;
 * where linked data or formulas decide, changes are evaluated one by one with linked data as it stood.
 */
export async function narrow(db: Queryable, compiled: CompiledWorkflow, span: Span): Promise<Narrowing> {
  const query = await historyQuery(db, compiled, span)
  const { changes, first } = await countHistory(db, compiled.table.name, span)
  const lines = compiled.workflow.conditions ? aliveLines(compiled.workflow.conditions) : []
  const tally = new Tally(lines)
  const past = new Past(db, { setting: compiled.surroundings, dry: true })
  if (isExact(compiled)) await countInDatabase(db, query, compiled, lines, tally)
  else for await (const chunk of chunksOf(db, query, undefined, 'every')) tally.add(compiled, chunk, await past.settle(compiled, chunk, true))
  const apart = await netChangesOf(db, query)
  if (apart.length) tally.add(compiled, apart, await past.settle(compiled, apart, true))
  return { span, changes, first, ...tally.result() }
}

async function countInDatabase(db: Queryable, query: HistoryQuery, { workflow }: CompiledWorkflow, lines: readonly AliveLine[], tally: Tally): Promise<void> {
  const { conditions, firing = 'entering' } = workflow
  const all = { condition: conditions, firing: 'every' as const }
  const [cued, holding, firings, ...alive] = (await countHolding(db, query, [
    all,
    { condition: conditions, firing },
    ...lines.map((l) => ({ condition: l.alive, firing: 'every' as const })),
  ])) as [number, number, number, ...number[]]
  tally.cued += cued
  tally.firings += firings
  tally.heldBefore += holding - firings
  alive.forEach((count, i) => {
    tally.alive[i] = (tally.alive[i] ?? 0) + count
  })
}

/** The changes that a condition may let through, newest first, some at a time. */
export async function* chunksOf(db: Queryable, query: HistoryQuery, condition: Condition | undefined, firing: 'entering' | 'every', size = CHUNK): AsyncGenerator<Change[]> {
  let before: number | null = null
  for (;;) {
    const chunk: Change[] = await changesHolding(db, query, { condition, firing, before, limit: size })
    if (chunk.length) yield chunk
    if (chunk.length < size) return
    before = (chunk[chunk.length - 1] as Change).id
  }
}

/** Counts over changes that were evaluated one by one. */
class Tally {
  cued = 0
  firings = 0
  heldBefore = 0
  readonly alive: number[]

  constructor(private readonly lines: readonly AliveLine[]) {
    this.alive = lines.map(() => 0)
  }

  add(compiled: CompiledWorkflow, changes: readonly Change[], settled: readonly Settled[]): void {
    const { conditions } = compiled.workflow
    changes.forEach((change, i) => {
      const outcome = settled[i]
      const plan = outcome && 'plan' in outcome ? outcome.plan : null
      const isTheirs = !plan || plan.clauses.length > 0 || plan.fires || plan.why === HELD_BEFORE
      if (!isCued(compiled, change) || (compiled.cue.whose && !isTheirs)) return
      this.cued++
      if (plan?.fires) this.firings++
      if (plan?.why === HELD_BEFORE) this.heldBefore++
      if (!plan || !conditions) return
      const results = new Map(plan.clauses.map((c) => [c.path, c]))
      const holds = holdsByPath(conditions, '/conditions', results)
      this.lines.forEach((line, n) => {
        if (isAlive(line.path, conditions, holds)) this.alive[n] = (this.alive[n] ?? 0) + 1
      })
    })
  }

  result(): Pick<Narrowing, 'cued' | 'survivors' | 'firings' | 'heldBefore'> {
    const { cued, firings, heldBefore } = this
    return { cued, firings, heldBefore, survivors: this.lines.map((line, i) => ({ path: line.path, count: this.alive[i] ?? 0 })) }
  }
}

/** Whether each node of a condition held, by its path, from what its clauses came to. */
export function holdsByPath(node: Condition, path: string, results: ReadonlyMap<string, ClauseResult>, into = new Map<string, boolean>()): Map<string, boolean> {
  if (isClause(node)) return into.set(path, node.muted ? true : (results.get(path)?.holds ?? false))
  const [joint, children] = Object.entries(node)[0] as ['all' | 'any' | 'none', Condition[]]
  const open = children.map((child, i) => ({ child, at: `${path}/${joint}/${i}` })).filter(({ child }) => !(isClause(child) && child.muted))
  for (const { child, at } of open) holdsByPath(child, at, results, into)
  const each = open.map(({ at }) => into.get(at) as boolean)
  return into.set(path, joint === 'all' ? each.every(Boolean) : joint === 'any' ? each.some(Boolean) : !each.some(Boolean))
}

/** Whether a change is alive at a line: the line itself lets it through, and so does all that stands before it on the way there. */
export function isAlive(line: string, condition: Condition, holds: ReadonlyMap<string, boolean>): boolean {
  let node = condition
  let path = '/conditions'
  while (path !== line) {
    if (isClause(node)) return false
    const [joint, children] = Object.entries(node)[0] as ['all' | 'any' | 'none', Condition[]]
    const index = Number(line.slice(`${path}/${joint}/`.length).split('/')[0])
    const before = children
      .slice(0, index)
      .map((child, i) => ({ child, at: `${path}/${joint}/${i}` }))
      .filter(({ child }) => !(isClause(child) && child.muted))
    if (joint === 'all' && !before.every(({ at }) => holds.get(at))) return false
    if (joint === 'none' && before.some(({ at }) => holds.get(at))) return false
    path = `${path}/${joint}/${index}`
    if (joint === 'none') return path === line && !holds.get(path)
    node = children[index] as Condition
  }
  return holds.get(line) ?? false
}
