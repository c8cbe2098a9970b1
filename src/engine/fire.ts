import type { Change } from '@/core/changes/change'
import { fallsInto } from '@/core/changes/snapshot'
import type { Facts } from '@/core/conditions/compile'
import { changeOccasion, type Occasion, standingOf } from '@/core/cues/occasion'
import { labelOf } from '@/core/figures/label'
import { crossingTitle } from '@/core/figures/words'
import { must } from '@/core/must'
import { LoadedLookups } from '@/core/paths/lookups'
import { titleOf } from '@/core/values/tables'
import type { CompiledWorkflow } from '@/core/workflow/compiled'
import { budgetOf } from '@/core/workflow/evaluate'
import { canFire, factsOf } from '@/core/workflow/judge'
import type { Surroundings } from '@/core/workflow/surroundings'
import { trialPlan } from '@/core/workflow/trial'
import type { Queryable } from '@/store/database'
import { type ChainLink, readChains } from '@/store/runs'
import { LIVE, LIVE_AGAIN, type Patience, type SlowOnes, Stopwatch, Turns } from './apart/patience'
import { type DecidesApart, isTooMuch } from './apart/too-much'
import type { Firing } from './persist'
import type { LiveWorkflow, Program } from './program'
import { type Candidate, type Settled, safely, settle } from './settle'
import { isTried } from './trial'

/** How many runs may cause one another before the last is stopped as a loop. */
export const MAX_DEPTH = 12

/** How long its conditions may take in a batch before they are left to be worked out with the rest. */
const SIEVE: Patience = { one: 30, all: 100 }
const SIEVE_AGAIN: Patience = { one: 5, all: 15 }

/** How a batch is decided about: apart where that may end the process, and with what is known of workflows that take long. */
export interface Deciding {
  readonly apart: DecidesApart | null
  readonly slow: SlowOnes
}

/** A workflow and an occasion that it may fire on. */
export interface Pair {
  readonly live: LiveWorkflow
  readonly occasion: Occasion
}

/** Decides about changes: which workflows fire, and what comes of it. */
export async function decide(db: Queryable, program: Program, changes: readonly Change[], deciding: Deciding): Promise<(Firing & Pair)[]> {
  const pairs: Pair[] = []
  const sieve = new Sieve(program.surroundings, deciding.slow)
  const turns = new Turns()
  for (const change of changes) {
    await turns.next()
    const occasion = changeOccasion(change)
    for (const live of sieve.candidates(change, program.byTable.get(change.table) ?? [])) if (isInForce(live, change)) pairs.push({ live, occasion })
  }
  return fire(db, program, pairs, deciding)
}

/** Whether a version was live when a change was committed, and a trial meant it. */
export function isInForce({ from, to, trial }: LiveWorkflow, change: Pick<Change, 'transaction' | 'record' | 'by' | 'at'>): boolean {
  return fallsInto(change.transaction, from, to) && (!trial || isTried(trial, change))
}

/** Evaluates workflows against the occasions they may care for; answers those that fire, or cannot. */
export async function fire(db: Queryable, program: Program, pairs: readonly Pair[], { apart, slow }: Deciding): Promise<(Firing & Pair)[]> {
  const candidates: (Candidate & { live: LiveWorkflow })[] = []
  const broken: (Pair & { settled: Settled })[] = []
  for (const { live, occasion } of pairs) {
    if (live.compiled) candidates.push({ live, compiled: live.compiled, occasion })
    else broken.push({ live, occasion, settled: { fault: must(live.fault) } })
  }
  const settled = apart ? await settleApart(apart, candidates) : await settleHere(db, program, candidates, slow)
  const fired = candidates.flatMap(({ live, occasion }, i) => {
    const outcome = must(settled[i])
    return 'fault' in outcome || outcome.plan.fires ? [{ live, occasion, settled: asTried(live, outcome) }] : []
  })
  return chained(db, [...fired, ...broken], program)
}

async function settleHere(db: Queryable, program: Program, candidates: readonly Candidate[], slow: SlowOnes): Promise<Settled[]> {
  const stopwatches = new Map<CompiledWorkflow, Stopwatch>()
  const stopwatchOf = (compiled: CompiledWorkflow) => {
    const known = stopwatches.get(compiled) ?? new Stopwatch(slow.has(compiled) ? LIVE_AGAIN : LIVE)
    stopwatches.set(compiled, known)
    return known
  }
  const settled = await settle(db, candidates, false, { setting: program.surroundings, dry: false, inTransaction: true, held: program.held }, { stopwatchOf })
  for (const [compiled, { spent }] of stopwatches) if (spent > LIVE.one) slow.note(compiled)
  return settled
}

/** The same one after the other in a process apart; what ends that twice fails in words. */
async function settleApart(apart: DecidesApart, candidates: readonly Candidate[]): Promise<Settled[]> {
  const settled: Settled[] = []
  for (const [i, { compiled, occasion }] of candidates.entries()) {
    settled.push(
      await apart.run('decide', { workflow: compiled.workflow, occasion, key: String(i) }).catch((error: unknown) => {
        if (isTooMuch(error)) return { fault: error.message }
        throw error
      }),
    )
  }
  return settled
}

/** What came of an evaluation as a trial carries it out; a live version's stays as it is. */
export function asTried({ trial }: LiveWorkflow, settled: Settled): Settled {
  return trial && 'plan' in settled ? { plan: trialPlan(settled.plan, trial.tryer) } : settled
}

/** Adds to each firing the chain of runs behind it: drops those that would fire again for the same record, and stops what goes too deep. */
async function chained(db: Queryable, fired: readonly (Pair & { settled: Settled })[], program: Program): Promise<(Firing & Pair)[]> {
  const causes = [...new Set(fired.map((f) => f.occasion.run).filter((run): run is number => run !== null))]
  const chains = await readChains(db, causes)
  return fired.flatMap(({ live, occasion, settled }) => {
    const title = titleOfOccasion(occasion, program, settled)
    const { table, record } = occasion
    const behind = (occasion.run === null ? undefined : chains.get(occasion.run)) ?? []
    const isAgain = record !== null && behind.some((link) => link.workflow === live.workflow && link.table === table && link.record === record)
    if (isAgain && !live.refire) return []
    const chain: ChainLink[] = [...behind, { workflow: live.workflow, name: live.name, table, record }]
    if (occasion.depth < MAX_DEPTH) return [{ live, occasion, title, settled, chain }]
    const loop = `Stopped: loop. ${chain.map((link) => link.name).join(' → ')} set one another off ${MAX_DEPTH} times.`
    return [{ live, occasion, title, settled: { fault: loop }, chain, outcome: 'stopped' as const }]
  })
}

/** What a run is called: its record's title, or what it is for. */
function titleOfOccasion(occasion: Occasion, { surroundings }: Program, settled: Settled): string {
  const { table: name, record } = occasion
  const table = surroundings.schema.get(name)
  if (record !== null) return table ? titleOf(table, occasion.after ?? occasion.before ?? {}) : `${name} ${record}`
  const label = table?.label ?? name
  const standing = standingOf(occasion)
  const whose = 'plan' in settled ? settled.plan.whose : undefined
  if (standing && whose) return `${labelOf({ name: standing.figure })}: ${whose}`
  if (occasion.kind === 'crossing') return crossingTitle(occasion.crossing)
  if (standing) return `${labelOf({ name: standing.figure })}: ${standing.group ?? 'all'}`
  if (occasion.kind === 'tick' && occasion.owner !== null) return whose || `${label} of person ${occasion.owner}`
  return occasion.kind === 'press' && occasion.per === 'all' ? `${label}: ${occasion.records.length}` : occasion.kind === 'press' ? 'No record' : label
}

const NOTHING: ReadonlyMap<string, unknown> = new Map()

/** Tells which live workflows a change may fire, judged without any data but the change's own. */
class Sieve {
  private lookups = new LoadedLookups(NOTHING)
  private readonly stopwatches = new Map<LiveWorkflow, Stopwatch>()

  constructor(
    private readonly surroundings: Surroundings,
    private readonly slow: SlowOnes,
  ) {}

  candidates(change: Change, workflows: readonly LiveWorkflow[]): LiveWorkflow[] {
    let facts = factsOf(this.surroundings, change, this.lookups)
    return workflows.filter((live) => {
      if (!live.compiled) return true
      const judged = live.compiled.usesFormulas ? this.timed(live, live.compiled, change, facts) : this.judge(live.compiled, change, facts)
      if (!this.lookups.lacking()) return judged
      this.lookups = new LoadedLookups(NOTHING) // it asked for more than the change holds; the trial proper has it
      facts = factsOf(this.surroundings, change, this.lookups)
      return true
    })
  }

  private judge(compiled: CompiledWorkflow, change: Change, facts: Facts): boolean {
    try {
      return canFire(compiled, change, facts)
    } catch {
      return true // the trial proper reports what is wrong
    }
  }

  /** The same where formulas decide, in so much time. */
  private timed(live: LiveWorkflow, compiled: CompiledWorkflow, change: Change, facts: Facts): boolean {
    const stopwatch = this.stopwatches.get(live) ?? new Stopwatch(this.slow.has(compiled) ? SIEVE_AGAIN : SIEVE)
    this.stopwatches.set(live, stopwatch)
    const judged = safely(stopwatch, (how) => canFire(compiled, change, { ...facts, budget: budgetOf(how) }))
    return typeof judged === 'boolean' ? judged : true
  }
}
