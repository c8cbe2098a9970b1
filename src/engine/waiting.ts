import type { Pool } from 'pg'
import type { Change } from '@/core/changes/change'
import { faultOf, must } from '@/core/must'
import type { Surroundings } from '@/core/workflow/surroundings'
import { readChange } from '@/store/changes'
import { inSavepoint, type Queryable, transaction } from '@/store/database'
import { explained, isDatabaseAway, isFaultOfData } from '@/store/problems'
import { dropRun, finishRun, giveBackRun, keepsRun, takeWaitingRun, type WaitingRun } from '@/store/runs'
import { readTrial } from '@/store/trials'
import { type Apart, Closed } from './apart/apart'
import type { Clock } from './clock'
import type { Dispatcher } from './dispatch'
import { asTried } from './fire'
import { MOST_ATTEMPTS, nextTry, performRun, traceOf } from './persist'
import { compileTrial, compileVersion, type LiveWorkflow, type Program } from './program'
import type { Settled } from './settle'

/** How long a run is held by whoever took it; if they die, it comes back after that. */
const HELD_MS = 120_000

/** Works out runs that wait: for a lock to pass, for somebody's mending, or for time that there was not. Each is worked out apart, so that it holds nobody up. */
export class WaitingRuns {
  constructor(
    private readonly pool: Pool,
    private readonly dispatcher: Dispatcher,
    private readonly apart: Apart,
    private readonly clock: Clock,
  ) {}

  /** Tries one run that is due, with the version it has; whether there was one. @throws Error where the database is away */
  async tryOne(): Promise<boolean> {
    const now = this.clock()
    const run = await takeWaitingRun(this.pool, now, new Date(now.getTime() + HELD_MS))
    if (!run) return false
    const program = await this.dispatcher.current(this.pool)
    const change = await readChange(this.pool, program.surroundings.schema, run.change_id)
    const live = await this.versionOf(run, program.surroundings)
    const settled = await this.decide(run, live, change)
    await transaction(this.pool, async (db) => {
      if (await keepsRun(db, run)) await this.finish(db, run, live, change, settled, program)
    })
    return true
  }

  /** The version, or the trial's draft, that a waiting run began with. */
  private async versionOf(run: WaitingRun, surroundings: Surroundings): Promise<LiveWorkflow> {
    const trial = run.trial === null ? null : await readTrial(this.pool, run.trial)
    return trial ? compileTrial(trial, surroundings) : compileVersion(this.pool, run.workflow, run.version, surroundings)
  }

  private async decide({ id, attempt }: WaitingRun, { compiled, fault }: LiveWorkflow, change: Change | null): Promise<Settled> {
    if (!change) return { fault: 'Its change is no longer in the log.' }
    if (!compiled) return { fault: must(fault) }
    if (attempt > MOST_ATTEMPTS) return { fault: `It was tried ${MOST_ATTEMPTS} times in vain.` }
    try {
      return await this.apart.run('decide', { workflow: compiled.workflow, change, key: `run ${id}` })
    } catch (error) {
      if (error instanceof Closed) await giveBackRun(this.pool, { id, attempt }, this.clock())
      if (!isFaultOfData(error)) throw error
      return { fault: faultOf(error) }
    }
  }

  private async finish(db: Queryable, run: WaitingRun, live: LiveWorkflow, change: Change | null, decided: Settled, program: Program): Promise<void> {
    const settled = asTried(live, decided)
    const fail = (error: string) => finishRun(db, run.id, { state: 'failed', why: 'The run failed and did nothing.', error, trace: null, next_at: null })
    if ('fault' in settled || !change) return fail('fault' in settled ? settled.fault : 'Its change is no longer in the log.')
    if (run.undecided && !settled.plan.fires) return dropRun(db, run.id)
    try {
      await inSavepoint(db, () => performRun(db, run.id, { live, change, title: '', settled, chain: run.chain }, settled.plan, this.dispatcher.post(program)))
      await finishRun(db, run.id, { state: 'done', why: settled.plan.why, error: null, trace: traceOf(change, settled.plan), next_at: null })
    } catch (error) {
      if (isDatabaseAway(error)) throw error
      const again = isFaultOfData(error) ? null : nextTry(run.attempt, this.clock())
      if (!again) return fail(faultOf(explained(error)))
      await finishRun(db, run.id, { state: 'waiting', why: settled.plan.why, error: faultOf(error), trace: null, next_at: again })
    }
  }
}
