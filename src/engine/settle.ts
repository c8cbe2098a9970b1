import type { Occasion } from '@/core/cues/occasion'
import { type Loaded, LoadedLookups, type Lookups, type Need, needKey } from '@/core/paths/lookups'
import { TakesLong } from '@/core/values/budget'
import type { CompiledWorkflow } from '@/core/workflow/compiled'
import { type Evaluation, evaluateOrNeed, type Plan } from '@/core/workflow/evaluate'
import type { Queryable } from '@/store/database'
import { heldUp, type Loading, loadNeeds } from '@/store/lookups'
import { APART, Stopwatch, Turns } from './apart/patience'

/** A workflow to be tried against an occasion. */
export interface Candidate {
  readonly compiled: CompiledWorkflow
  readonly occasion: Occasion
  /** Tells it from all others of the same occasion, for the ids it reserves; its place among the candidates unless said otherwise. */
  readonly key?: string
}

/** What came of one: its plan, or the reason it failed; `takesLong` where it is no failure, but was left off since it takes long, `isHeld` since a table that it reads is held by its owner. */
export type Settled = { readonly plan: Plan } | { readonly fault: string; readonly takesLong?: true; readonly isHeld?: true }

/** Loads what is needed; by default as it is now. */
export type Load = (needs: readonly Need[], loaded: Map<string, unknown>) => Promise<void>

/** How evaluations are timed, all together unless there is a stopwatch for each workflow. */
export interface Timing {
  readonly stopwatch?: Stopwatch
  readonly stopwatchOf?: (compiled: CompiledWorkflow) => Stopwatch
}

const MAX_ROUNDS = 200

/** Why an evaluation is given up that always asks for more. */
const ENDLESS = 'The run kept asking for more data and was stopped.'

/**
 * Evaluates many workflows against many occasions, loading what they need for all of them at once, round by round.
 * Answers in the order given. With `explain`, also what does not fire is explained clause by clause.
 */
export async function settle(
  db: Queryable,
  candidates: readonly Candidate[],
  explain: boolean,
  loading: Loading,
  { stopwatch = new Stopwatch(APART), stopwatchOf = () => stopwatch }: Timing = {},
  load: Load = (needs, loaded) => loadNeeds(db, needs, loaded, loading),
): Promise<Settled[]> {
  const loaded = new Map<string, unknown>()
  const settled = new Array<Settled>(candidates.length)
  const turns = new Turns()
  let open = candidates.map((candidate, i) => ({ ...candidate, i }))
  for (let round = 0; open.length > 0 && round < MAX_ROUNDS; round++) {
    const needs = new Map<string, Need>()
    const still: typeof open = []
    for (const one of open) {
      await turns.next()
      const outcome = evaluateSafely(one.compiled, one.occasion, loaded, explain, stopwatchOf(one.compiled), one.key ?? String(one.i))
      if ('needs' in outcome) {
        const held = outcome.needs.flatMap((need) => heldUp(need, loading) ?? [])[0]
        if (held !== undefined) {
          settled[one.i] = heldFault(held, loading)
          continue
        }
        for (const need of outcome.needs) needs.set(needKey(need), need)
        still.push(one)
      } else settled[one.i] = written(outcome, loading)
    }
    open = still
    if (open.length > 0) await load([...needs.values()], loaded)
  }
  for (const { i } of open) settled[i] = { fault: ENDLESS }
  return settled
}

/**
 * Answers questions about records, loading what they need for all of them at once, round by round; null where one could not be answered.
 * A question is asked again until it lacks nothing.
 */
export async function ask<T>(db: Queryable, questions: readonly ((lookups: Lookups) => T)[], loading: Loading): Promise<(T | null)[]> {
  const loaded = new Map<string, unknown>()
  const answers = new Array<T | null>(questions.length).fill(null)
  const turns = new Turns()
  let open = questions.map((question, i) => ({ question, i }))
  for (let round = 0; open.length > 0 && round < MAX_ROUNDS; round++) {
    const needs = new Map<string, Need>()
    const still: typeof open = []
    for (const one of open) {
      await turns.next()
      const lookups = new LoadedLookups(loaded)
      const answer = safely(new Stopwatch(APART), () => ({ answer: one.question(lookups) }))
      if (lookups.lacking()) {
        for (const need of lookups.needs()) needs.set(needKey(need), need)
        still.push(one)
      } else if ('answer' in answer) answers[one.i] = answer.answer
    }
    open = still
    if (open.length > 0) await loadNeeds(db, [...needs.values()], loaded, loading)
  }
  return answers
}

/** How a sentence ends that says which table is in the way. */
export const IS_HELD = 'is held by its owner.'

/** That a table is in the way which its owner holds. */
const heldFault = (table: string, { setting }: Loading): Settled => ({ fault: `${setting.schema.get(table)?.label ?? table} ${IS_HELD}`, isHeld: true })

/** What came of an evaluation; one that writes to a table that its owner holds waits for it. */
function written(outcome: Settled, loading: Loading): Settled {
  const held = 'plan' in outcome ? outcome.plan.writes.find(({ table }) => loading.held?.has(table)) : undefined
  return held ? heldFault(held.table, loading) : outcome
}

/** Evaluates over loaded data; what goes wrong on the way is its outcome. */
export function evaluateSafely(
  compiled: CompiledWorkflow,
  occasion: Occasion,
  loaded: Loaded,
  explain: boolean,
  stopwatch: Stopwatch,
  key?: string,
): Settled | { needs: readonly Need[] } {
  return safely(stopwatch, (how) => evaluateOrNeed(compiled, occasion, loaded, explain, { ...how, key }))
}

/** Does one evaluation in its time; what goes wrong is its outcome. */
export function safely<T>(stopwatch: Stopwatch, work: (how: Evaluation) => T): T | Extract<Settled, { fault: string }> {
  try {
    return stopwatch.time((isOver) => work({ isOver }))
  } catch (error) {
    if (error instanceof TakesLong) return { fault: longSentence(stopwatch), takesLong: true }
    return { fault: sentenceOf(error) }
  }
}

function longSentence({ patience }: Stopwatch): string {
  return `It takes longer to work out than there is time for here (${patience.one / 1_000} s for one run, ${patience.all / 1_000} s for all).`
}

function sentenceOf(error: unknown): string {
  if (error instanceof RangeError && error.message.includes('call stack')) return 'Its parts stand in one another too deep to be worked out.'
  return error instanceof Error ? error.message : String(error)
}
