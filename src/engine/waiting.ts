import type { Pool } from 'pg'
import type { Occasion } from '@/core/cues/occasion'
import { faultOf, must } from '@/core/must'
import { inSavepoint, type Queryable, transaction } from '@/store/database'
import { explained, isDatabaseAway, isFaultOfData } from '@/store/problems'
import { dropRun, finishRun, giveBackRun, keepsRun, takePressed, takeWaitingRun, type WaitingRun } from '@/store/runs'
import { type Apart, Closed } from './apart/apart'
import { LIVE, Stopwatch } from './apart/patience'
import type { Clock } from './clock'
import type { Dispatcher } from './dispatch'
import { asTried } from './fire'
import { readOccasion } from './occasions/kept'
import { heldUpUntil, MOST_ATTEMPTS, nextTry, performRun, traceOf } from './persist'
import type { LiveWorkflow, Program } from './program'
import { type Settled, settle } from './settle'

/** How long a run is held by whoever took it; if they die, it comes back after that. */
const HELD_MS = 120_000

/** The same for runs of presses, which are worked out here in no time. */
const HELD_PRESSED_MS = 15_000

/** Runs of presses that are worked out together. */
const PRESSED_AT_ONCE = 100

type Read = Awaited<ReturnType<typeof readOccasion>>

/** Works out runs that wait: for a lock to pass, for somebody's mending, or for time that there was not. Each is worked out apart, so that it holds nobody up. */
export class WaitingRuns {
  constructor(
    private readonly pool: Pool,
    private readonly dispatcher: Dispatcher,
    /** Null where only presses are worked out, which is done here. */
    private readonly apart: Apart | null,
    private readonly clock: Clock,
  ) {}

  /** Tries one run that is due, with the version it has; whether there was one. @throws Error where the database is away */
  async tryOne(): Promise<boolean> {
    const now = this.clock()
    const run = await takeWaitingRun(this.pool, now, new Date(now.getTime() + HELD_MS))
    if (!run) return false
    const program = await this.dispatcher.current(this.pool)
    const live = await this.dispatcher.versions.get(this.pool, program, run)
    const read = await readOccasion(this.pool, program.surroundings.schema, run)
    const decided = await this.decide(run, live, read)
    if ('isHeld' in decided && decided.isHeld) await giveBackRun(this.pool, run, heldUpUntil(run.at, now))
    else await this.conclude(run, live, read, decided, program)
    return true
  }

  /** Works out runs of presses that nobody has tried yet, together and here; what takes long is left to be done apart. How many there were. @throws Error where the database is away */
  async tryPressed(): Promise<number> {
    const now = this.clock()
    const runs = await takePressed(this.pool, now, new Date(now.getTime() + HELD_PRESSED_MS), PRESSED_AT_ONCE)
    if (runs.length === 0) return 0
    const program = await this.dispatcher.current(this.pool)
    const pressed: { run: WaitingRun; live: LiveWorkflow; read: Read }[] = []
    for (const run of runs)
      pressed.push({ run, live: await this.dispatcher.versions.get(this.pool, program, run), read: await readOccasion(this.pool, program.surroundings.schema, run) })
    const candidates = pressed.flatMap(({ run, live, read }) =>
      live.compiled && 'occasion' in read ? [{ compiled: live.compiled, occasion: read.occasion, key: `run ${run.id}` }] : [],
    )
    const settled = await settle(this.pool, candidates, false, { setting: program.surroundings, dry: false, held: program.held }, { stopwatch: new Stopwatch(LIVE) })
    const byKey = new Map(candidates.map(({ key }, i) => [key, settled[i]]))
    for (const { run, live, read } of pressed) {
      const decided = 'gone' in read ? { fault: read.gone } : live.compiled ? must(byKey.get(`run ${run.id}`)) : { fault: must(live.fault) }
      if ('isHeld' in decided && decided.isHeld) await giveBackRun(this.pool, run, heldUpUntil(run.at, now), run.attempt)
      else if ('takesLong' in decided && decided.takesLong) await giveBackRun(this.pool, run, now, run.attempt)
      else await this.conclude(run, live, read, decided, program)
    }
    return runs.length
  }

  private conclude(run: WaitingRun, live: LiveWorkflow, read: Read, settled: Settled, program: Program): Promise<void> {
    return transaction(this.pool, async (db) => {
      if (await keepsRun(db, run)) await this.finish(db, run, live, 'occasion' in read ? read.occasion : null, settled, program)
    })
  }

  private async decide({ id, attempt }: WaitingRun, { compiled, fault }: LiveWorkflow, read: Read): Promise<Settled> {
    if ('gone' in read) return { fault: read.gone }
    if (!compiled) return { fault: must(fault) }
    const { occasion } = read
    if (attempt > MOST_ATTEMPTS) return { fault: `It was tried ${MOST_ATTEMPTS} times in vain.` }
    try {
      return await must(this.apart).run('decide', { workflow: compiled.workflow, occasion, key: `run ${id}` })
    } catch (error) {
      if (error instanceof Closed) await giveBackRun(this.pool, { id, attempt }, this.clock())
      if (!isFaultOfData(error)) throw error
      return { fault: faultOf(error) }
    }
  }

  private async finish(db: Queryable, run: WaitingRun, live: LiveWorkflow, occasion: Occasion | null, decided: Settled, program: Program): Promise<void> {
    const settled = asTried(live, decided)
    const fail = (error: string) => finishRun(db, run.id, { state: 'failed', why: 'The run failed and did nothing.', error, trace: null, next_at: null })
    if ('fault' in settled || !occasion) return fail('fault' in settled ? settled.fault : 'What set it off is gone.')
    if (run.undecided && !settled.plan.fires) return dropRun(db, run.id)
    if (!settled.plan.fires) return finishRun(db, run.id, { state: 'done', why: settled.plan.why, error: null, trace: traceOf(occasion, settled.plan), next_at: null })
    try {
      const done = await inSavepoint(db, () => performRun(db, run.id, { live, occasion, title: '', settled, chain: run.chain }, settled.plan, this.dispatcher.post(program)))
      await finishRun(db, run.id, { state: 'done', why: settled.plan.why, error: null, trace: traceOf(occasion, done), next_at: null })
    } catch (error) {
      if (isDatabaseAway(error)) throw error
      const again = isFaultOfData(error) ? null : nextTry(run.attempt, this.clock())
      if (!again) return fail(faultOf(explained(error)))
      await finishRun(db, run.id, { state: 'waiting', why: settled.plan.why, error: faultOf(error), trace: null, next_at: again })
    }
  }
}
