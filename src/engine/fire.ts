import type { Change } from '@/core/changes/change'
import { fallsInto } from '@/core/changes/snapshot'
import type { Facts } from '@/core/conditions/compile'
import { must } from '@/core/must'
import { LoadedLookups } from '@/core/paths/lookups'
import { titleOf } from '@/core/values/tables'
import { budgetOf, type CompiledWorkflow, canFire, factsOf } from '@/core/workflow/evaluate'
import type { Surroundings } from '@/core/workflow/surroundings'
import { trialPlan } from '@/core/workflow/trial'
import type { Queryable } from '@/store/database'
import { type ChainLink, readChains } from '@/store/runs'
import { type Apart, isTooMuch } from './apart/apart'
import { LIVE, LIVE_AGAIN, type Patience, type SlowOnes, Stopwatch, Turns } from './apart/patience'
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
  readonly apart: Apart | null
  readonly slow: SlowOnes
}

/** A workflow and a change that it may fire for. */
export interface Pair {
  readonly live: LiveWorkflow
  readonly change: Change
}

/** Decides about changes: which workflows fire, and what comes of it. */
export async function decide(db: Queryable, program: Program, changes: readonly Change[], deciding: Deciding): Promise<Firing[]> {
  const pairs: Pair[] = []
  const sieve = new Sieve(program.surroundings, deciding.slow)
  const turns = new Turns()
  for (const change of changes) {
    await turns.next()
    for (const live of sieve.candidates(change, program.byTable.get(change.table) ?? [])) if (isInForce(live, change)) pairs.push({ live, change })
  }
  return fire(db, program, pairs, deciding)
}

/** Whether a version was live when a change was committed, and a trial meant it. */
export function isInForce({ from, to, trial }: LiveWorkflow, change: Pick<Change, 'transaction' | 'record' | 'by' | 'at'>): boolean {
  return fallsInto(change.transaction, from, to) && (!trial || isTried(trial, change))
}

/** Evaluates workflows against the changes they may care for; answers those that fire, or cannot. */
export async function fire(db: Queryable, program: Program, pairs: readonly Pair[], { apart, slow }: Deciding): Promise<Firing[]> {
  const candidates: (Candidate & { live: LiveWorkflow })[] = []
  const broken: (Pair & { settled: Settled })[] = []
  for (const { live, change } of pairs) {
    if (live.compiled) candidates.push({ live, compiled: live.compiled, change })
    else broken.push({ live, change, settled: { fault: must(live.fault) } })
  }
  const settled = apart ? await settleApart(apart, candidates) : await settleHere(db, program, candidates, slow)
  const fired = candidates.flatMap(({ live, change }, i) => {
    const outcome = must(settled[i])
    return 'fault' in outcome || outcome.plan.fires ? [{ live, change, settled: asTried(live, outcome) }] : []
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
  const settled = await settle(db, candidates, false, { setting: program.surroundings, dry: false, inTransaction: true }, { stopwatchOf })
  for (const [compiled, { spent }] of stopwatches) if (spent > LIVE.one) slow.note(compiled)
  return settled
}

/** The same one after the other in a process apart; what ends that twice fails in words. */
async function settleApart(apart: Apart, candidates: readonly Candidate[]): Promise<Settled[]> {
  const settled: Settled[] = []
  for (const [i, { compiled, change }] of candidates.entries()) {
    settled.push(
      await apart.run('decide', { workflow: compiled.workflow, change, key: String(i) }).catch((error: unknown) => {
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
async function chained(db: Queryable, fired: readonly (Pair & { settled: Settled })[], program: Program): Promise<Firing[]> {
  const causes = [...new Set(fired.map((f) => f.change.run).filter((run): run is number => run !== null))]
  const chains = await readChains(db, causes)
  return fired.flatMap(({ live, change, settled }) => {
    const table = program.surroundings.schema.get(change.table)
    const title = table ? titleOf(table, change.after ?? change.before ?? {}) : `${change.table} ${change.record}`
    const behind = (change.run === null ? undefined : chains.get(change.run)) ?? []
    const isAgain = behind.some((link) => link.workflow === live.workflow && link.table === change.table && link.record === change.record)
    if (isAgain && !live.refire) return []
    const chain: ChainLink[] = [...behind, { workflow: live.workflow, name: live.name, table: change.table, record: change.record }]
    if (change.depth < MAX_DEPTH) return [{ live, change, title, settled, chain }]
    const loop = `Stopped: loop. ${chain.map((link) => link.name).join(' → ')} set one another off ${MAX_DEPTH} times.`
    return [{ live, change, title, settled: { fault: loop }, chain, outcome: 'stopped' as const }]
  })
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
