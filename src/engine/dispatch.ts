import type { Pool } from 'pg'
import type { Change } from '@/core/changes/change'
import { fallsInto } from '@/core/changes/snapshot'
import { LoadedLookups } from '@/core/paths/lookups'
import { titleOf } from '@/core/values/tables'
import { canFire, factsOf, type Surroundings } from '@/core/workflow/evaluate'
import { trialPlan } from '@/core/workflow/trial'
import { claimLate, hasLate } from '@/store/catch-up'
import { claimChanges, readChange, takeShard } from '@/store/changes'
import { inSavepoint, type Queryable, transaction } from '@/store/database'
import { explained } from '@/store/problems'
import { type ChainLink, finishRun, readChains, takeWaitingRun, type WaitingRun } from '@/store/runs'
import { readTrial } from '@/store/trials'
import { readGeneration } from '@/store/workflows'
import type { Clock } from './clock'
import { type Firing, isFaultOfData, nextTry, type Post, performRun, persist, traceOf } from './persist'
import { compileTrial, compileVersion, type LiveWorkflow, loadProgram, type Program } from './program'
import { type Candidate, type Settled, settle } from './settle'
import { isTried } from './trial'

/** Log rows taken at once: enough to spread the cost of a transaction, few enough to keep the others waiting only briefly. */
export const BATCH = 500

/** Changes handled late at once. */
const LATE_BATCH = 100

/** How many runs may cause one another before the last is stopped as a loop. */
export const MAX_DEPTH = 12

/** Holds the compiled program and compiles anew when the generation moved on. */
export class Dispatcher {
  private program: Program | null = null

  constructor(
    private readonly pool: Pool,
    private readonly baseUrl: string,
    private readonly clock: Clock,
  ) {}

  /**
   * Handles one batch of a shard's changes in one transaction: claim, decide, write runs with their effects, traces and messages.
   * Answers how many changes were handled; null where another worker has the shard.
   */
  async handleShard(shard: number): Promise<{ changes: number; runs: number } | null> {
    return transaction(this.pool, async (db) => {
      if (!(await takeShard(db, shard))) return null
      const program = await this.current(db)
      const changes = await claimChanges(db, shard, BATCH, program.surroundings.schema)
      const firings = await this.decide(db, program, changes)
      await persist(db, firings, this.post(program))
      return { changes: changes.length, runs: firings.length }
    })
  }

  /** Handles changes that passed a workflow by while it was paused and are run after all; how many. */
  async handleLate(): Promise<number> {
    if (!(await hasLate(this.pool))) return 0
    return transaction(this.pool, async (db) => {
      const program = await this.current(db)
      const late = await claimLate(db, program.surroundings.schema, LATE_BATCH)
      const versions = new Map<string, LiveWorkflow>()
      for (const { workflow, version } of late) {
        const key = `${workflow} ${version}`
        if (!versions.has(key)) versions.set(key, await compileVersion(db, workflow, version, program.surroundings))
      }
      const pairs = late.map(({ workflow, version, change }) => ({ live: versions.get(`${workflow} ${version}`) as LiveWorkflow, change }))
      await persist(db, await fire(db, program, pairs), this.post(program))
      return late.length
    })
  }

  private post(program: Program): Post {
    return { clock: this.clock, baseUrl: this.baseUrl, whySecret: program.whySecret }
  }

  /** Tries one run again that waits for what stood in its way to pass, with the version it had; whether there was one. */
  async retryWaiting(): Promise<boolean> {
    return transaction(this.pool, async (db) => {
      const run = await takeWaitingRun(db, this.clock())
      if (!run) return false
      const program = await this.current(db)
      const change = await readChange(db, program.surroundings.schema, run.change_id)
      if (change) await this.retry(db, program, run, change)
      else await finishRun(db, run.id, { state: 'failed', why: 'The run failed and did nothing.', error: 'Its change is no longer in the log.', trace: null, next_at: null })
      return true
    })
  }

  /** The version, or the trial's draft, that a waiting run began with. */
  private async versionOf(db: Queryable, run: WaitingRun, { surroundings }: Program): Promise<LiveWorkflow> {
    const trial = run.trial === null ? null : await readTrial(db, run.trial)
    return trial ? compileTrial(trial, surroundings) : compileVersion(db, run.workflow, run.version, surroundings)
  }

  private async retry(db: Queryable, program: Program, run: WaitingRun, change: Change): Promise<void> {
    const live = await this.versionOf(db, run, program)
    const settled: Settled = live.compiled
      ? asTried(live, (await settle(db, [{ compiled: live.compiled, change }], false, { setting: program.surroundings, dry: false }))[0] as Settled)
      : { fault: live.fault as string }
    const fail = (error: string) => finishRun(db, run.id, { state: 'failed', why: 'The run failed and did nothing.', error, trace: null, next_at: null })
    if ('fault' in settled) return fail(settled.fault)
    try {
      await inSavepoint(db, () => performRun(db, run.id, { live, change, title: '', settled, chain: run.chain }, settled.plan, this.post(program)))
      await finishRun(db, run.id, { state: 'done', why: settled.plan.why, error: null, trace: traceOf(change, settled.plan), next_at: null })
    } catch (error) {
      const again = isFaultOfData(error) ? null : nextTry(run.attempt + 1, this.clock())
      if (!again) return fail((explained(error) as Error).message)
      await finishRun(db, run.id, { state: 'waiting', why: settled.plan.why, error: (error as Error).message, trace: null, next_at: again })
    }
  }

  private async current(db: Queryable): Promise<Program> {
    if (this.program?.generation !== (await readGeneration(db))) this.program = await loadProgram(db, this.baseUrl)
    return this.program as Program
  }

  private async decide(db: Queryable, program: Program, changes: readonly Change[]): Promise<Firing[]> {
    const pairs: Pair[] = []
    const sieve = new Sieve(program.surroundings)
    for (const change of changes) {
      for (const live of sieve.candidates(change, program.byTable.get(change.table) ?? [])) {
        if (fallsInto(change.transaction, live.from, live.to) && (!live.trial || isTried(live.trial, change))) pairs.push({ live, change })
      }
    }
    return fire(db, program, pairs)
  }
}

interface Pair {
  readonly live: LiveWorkflow
  readonly change: Change
}

/** Evaluates workflows against the changes they may care for; answers those that fire, or cannot. */
async function fire(db: Queryable, program: Program, pairs: readonly Pair[]): Promise<Firing[]> {
  const candidates: (Candidate & { live: LiveWorkflow })[] = []
  const broken: (Pair & { settled: Settled })[] = []
  for (const { live, change } of pairs) {
    if (live.compiled) candidates.push({ live, compiled: live.compiled, change })
    else broken.push({ live, change, settled: { fault: live.fault as string } })
  }
  const settled = await settle(db, candidates, false, { setting: program.surroundings, dry: false })
  const fired = candidates.flatMap(({ live, change }, i) => {
    const outcome = settled[i] as Settled
    return 'fault' in outcome || outcome.plan.fires ? [{ live, change, settled: asTried(live, outcome) }] : []
  })
  return chained(db, [...fired, ...broken], program)
}

/** What came of an evaluation as a trial carries it out; a live version's stays as it is. */
function asTried({ trial }: LiveWorkflow, settled: Settled): Settled {
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

  constructor(private readonly surroundings: Surroundings) {}

  candidates(change: Change, workflows: readonly LiveWorkflow[]): LiveWorkflow[] {
    let facts = factsOf(this.surroundings, change, this.lookups)
    return workflows.filter((live) => {
      if (!live.compiled) return true
      try {
        const may = canFire(live.compiled, change, facts)
        if (!this.lookups.lacking()) return may
        this.lookups = new LoadedLookups(NOTHING) // it asked for more than the change holds; the trial proper has it
        facts = factsOf(this.surroundings, change, this.lookups)
        return true
      } catch {
        return true // the trial proper reports what is wrong
      }
    })
  }
}
