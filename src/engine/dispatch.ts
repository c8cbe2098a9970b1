import type { Pool } from 'pg'
import type { Change } from '@/core/changes/change'
import { fallsInto } from '@/core/changes/snapshot'
import { LoadedLookups } from '@/core/paths/lookups'
import { titleOf } from '@/core/values/tables'
import { canFire, factsOf, type Surroundings } from '@/core/workflow/evaluate'
import { claimChanges, readChange, takeShard } from '@/store/changes'
import { inSavepoint, type Queryable, transaction } from '@/store/database'
import { type ChainLink, finishRun, readChains, takeWaitingRun, type WaitingRun } from '@/store/runs'
import { readGeneration } from '@/store/workflows'
import type { Clock } from './clock'
import { type Firing, nextTry, performRun, persist, traceOf } from './persist'
import { compileVersion, type LiveWorkflow, loadProgram, type Program } from './program'
import { type Settled, settle, type Trial } from './settle'

/** Log rows taken at once: enough to spread the cost of a transaction, few enough to keep the others waiting only briefly. */
export const BATCH = 500

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
      await persist(db, firings, this.clock)
      return { changes: changes.length, runs: firings.length }
    })
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

  private async retry(db: Queryable, program: Program, run: WaitingRun, change: Change): Promise<void> {
    const live = await compileVersion(db, run.workflow, run.version, program.surroundings)
    const settled: Settled = live.compiled
      ? ((await settle(db, [{ compiled: live.compiled, change }], false, { setting: program.surroundings, dry: false }))[0] as Settled)
      : { fault: live.fault as string }
    const fail = (error: string) => finishRun(db, run.id, { state: 'failed', why: 'The run failed and did nothing.', error, trace: null, next_at: null })
    if ('fault' in settled) return fail(settled.fault)
    try {
      await inSavepoint(db, () => performRun(db, run.id, { live, change, title: '', settled, chain: run.chain }, settled.plan, this.clock))
      await finishRun(db, run.id, { state: 'done', why: settled.plan.why, error: null, trace: traceOf(change, settled.plan), next_at: null })
    } catch (error) {
      const again = nextTry(run.attempt + 1, this.clock())
      if (!again) return fail((error as Error).message)
      await finishRun(db, run.id, { state: 'waiting', why: settled.plan.why, error: (error as Error).message, trace: null, next_at: again })
    }
  }

  private async current(db: Queryable): Promise<Program> {
    if (this.program?.generation !== (await readGeneration(db))) this.program = await loadProgram(db, this.baseUrl)
    return this.program as Program
  }

  private async decide(db: Queryable, program: Program, changes: readonly Change[]): Promise<Firing[]> {
    const trials: (Trial & { live: LiveWorkflow })[] = []
    const faults: { live: LiveWorkflow; change: Change }[] = []
    const sieve = new Sieve(program.surroundings)
    for (const change of changes) {
      for (const live of sieve.candidates(change, program.byTable.get(change.table) ?? [])) {
        if (!fallsInto(change.transaction, live.from, live.to)) continue
        if (live.compiled) trials.push({ live, compiled: live.compiled, change })
        else faults.push({ live, change })
      }
    }
    const settled = await settle(db, trials, false, { setting: program.surroundings, dry: false })
    const fired = trials.flatMap(({ live, change }, i) => {
      const outcome = settled[i] as Settled
      return 'fault' in outcome || outcome.plan.fires ? [{ live, change, settled: outcome }] : []
    })
    const broken = faults.map(({ live, change }) => ({ live, change, settled: { fault: live.fault as string } }))
    return chained(db, [...fired, ...broken], program)
  }
}

/** Adds to each firing the chain of runs behind it: drops those that would fire again for the same record, and stops what goes too deep. */
async function chained(db: Queryable, fired: readonly { live: LiveWorkflow; change: Change; settled: Settled }[], program: Program): Promise<Firing[]> {
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
