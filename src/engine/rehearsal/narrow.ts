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

/** Few enough that the process answers others between them, also where a formula is worked out for each. */
const CHUNK = 150

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
 * from the first line on where linked data, formulas or whose record it is decide, changes are evaluated one by one with linked data as it stood.
 * @throws AbortError when it was called off
 */
export async function narrow(db: Queryable, compiled: CompiledWorkflow, span: Span, signal?: AbortSignal): Promise<Narrowing> {
  return narrowOver(db, compiled, await historyQuery(db, compiled, span), signal)
}

/** The same over history that is described already. @throws AbortError when it was called off */
export async function narrowOver(db: Queryable, compiled: CompiledWorkflow, query: HistoryQuery, signal?: AbortSignal): Promise<Narrowing> {
  const { span } = query
  const { changes, first } = await countHistory(db, compiled.table.name, span)
  const lines = compiled.workflow.conditions ? aliveLines(compiled.workflow.conditions) : []
  const tally = new Tally(lines)
  const past = new Past(db, { setting: compiled.surroundings, dry: true })
  if (isExact(compiled)) await countInDatabase(db, query, compiled, lines, tally)
  else await countPartly(db, query, compiled, lines, tally, past, signal)
  const apart = await netChangesOf(db, query)
  if (apart.length) tally.add(compiled, apart, await past.settle(compiled, apart, true))
  return { span, changes, first, ...tally.result() }
}

async function countInDatabase(db: Queryable, query: HistoryQuery, { workflow }: CompiledWorkflow, lines: readonly AliveLine[], tally: Tally): Promise<void> {
  const { conditions, firing = 'entering' } = workflow
  const [cued, holding, firings, ...alive] = await countHolding(db, query, [every(conditions), { condition: conditions, firing }, ...lines.map((l) => every(l.alive))])
  tally.cued += cued as number
  tally.firings += firings as number
  tally.heldBefore += (holding as number) - (firings as number)
  tally.addAlive(alive)
}

const every = (condition: Condition | undefined) => ({ condition, firing: 'every' as const })

/** Counts the lines that the database can count, and evaluates the changes that are alive after them. */
async function countPartly(
  db: Queryable,
  query: HistoryQuery,
  compiled: CompiledWorkflow,
  lines: readonly AliveLine[],
  tally: Tally,
  past: Past,
  signal: AbortSignal | undefined,
): Promise<void> {
  const { prefix, isWithin } = exactPrefix(compiled)
  const rest = new Tally(lines)
  for await (const chunk of chunksOf(db, query, prefix, 'every')) {
    signal?.throwIfAborted()
    rest.add(compiled, chunk, await past.settle(compiled, chunk, true))
  }
  const [cued, ...alive] = prefix
    ? await countHolding(
        db,
        query,
        lines.map((l) => every(isWithin(l.path) ? l.alive : undefined)),
      )
    : [rest.cued]
  tally.cued += cued as number
  tally.firings += rest.firings
  tally.heldBefore += rest.heldBefore
  tally.addAlive(lines.map((l, i) => (isWithin(l.path) ? (alive[i] as number) : (rest.alive[i] as number))))
}

/** The first children of conditions that all have to hold, as far as the database can tell about each; undefined where it cannot about the first. */
function exactPrefix({ cue, workflow: { conditions }, table, surroundings }: CompiledWorkflow): { prefix: Condition | undefined; isWithin: (path: string) => boolean } {
  const children = !cue.whose && conditions && 'all' in conditions ? conditions.all : []
  const until = children.findIndex((child) => !isExactInSql(child, table, surroundings))
  if (until <= 0) return { prefix: undefined, isWithin: () => false }
  return { prefix: { all: children.slice(0, until) }, isWithin: (path) => Number(/^\/conditions\/all\/(\d+)/.exec(path)?.[1]) < until }
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

  addAlive(counts: readonly number[]): void {
    counts.forEach((count, i) => {
      this.alive[i] = (this.alive[i] ?? 0) + count
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
