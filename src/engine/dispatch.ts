import type { Pool } from 'pg'
import type { Change } from '@/core/changes/change'
import { changeOccasion } from '@/core/cues/occasion'
import { faultOf } from '@/core/must'
import { forgetAttempts, noteAttempt, noteFirstAttempts, type Place } from '@/store/attempts'
import { claimLate, hasLate } from '@/store/catch-up'
import { busyShards, claimChanges, takeShard, takeShards } from '@/store/changes'
import { type Queryable, transaction } from '@/store/database'
import { readGeneration } from '@/store/generation'
import { explained, isFaultOfData, mayPass } from '@/store/problems'
import { hurryRuns } from '@/store/runs'
import type { Apart } from './apart/apart'
import { SlowOnes } from './apart/patience'
import { holdStill } from './attached'
import type { Clock } from './clock'
import { type Deciding, decide, fire, type Pair } from './fire'
import { followStays } from './occasions/follow'
import { followLate } from './occasions/late'
import { Versions } from './occasions/versions'
import { type Firing, type Post, persist } from './persist'
import { loadProgram, type Program } from './program'
import { QueueFloor } from './queue-floor'
import { type Handled, setAside, setLateAside } from './set-aside'
import { IS_HELD } from './settle'
import type { Tell } from './tell'

/** Log rows taken at once: enough to spread the cost of a transaction, few enough to keep the others waiting only briefly. */
export const BATCH = 500

/** Transactions in which one worker handles shards at once where much waits, and how many shards in one. */
const AT_ONCE = 2
const SHARDS_TOGETHER = 4

/** About how many changes are handled in one transaction of all shards, as long as little waits: a transaction costs as much as many changes, but all of it waits for its last. */
const LITTLE = 40

/** Changes handled late at once. */
const LATE_BATCH = 100

/** From this try on at a shard's oldest change, whoever tried before died: changes go one by one, each decided about apart, where what kills kills nobody else. */
const APART_FROM = 2

/** From this try on the oldest change is set aside without being read: that is all that is left which could kill. */
const ASIDE_FROM = 12

const NOTHING: Handled = { changes: 0, runs: 0 }
const sumOf = (one: Handled, other: Handled | null): Handled => (other ? { changes: one.changes + other.changes, runs: one.runs + other.runs } : one)

/** Holds the compiled program and compiles anew when the generation moved on. */
export class Dispatcher {
  private program: Program | null = null
  /** The last change handled of each shard; where that is rolled back after all, only the note of the next attempt is a later one's. */
  private readonly handled = new Map<number, number>()
  /** The change of each shard that this worker noted last. */
  private readonly noted = new Map<number, number>()
  private readonly slow = new SlowOnes()
  /** The attached tables that their owners held when it was looked last. */
  private held: ReadonlySet<string> = new Set()
  private readonly floor: QueueFloor
  /** Whether some shard gave as much as was asked for since the last look. */
  private isMuch = false
  /** Versions by themselves: of what waited, of timetables, of what is run by hand. */
  readonly versions = new Versions()

  constructor(
    private readonly pool: Pool,
    private readonly baseUrl: string,
    private readonly clock: Clock,
    private readonly tell: Tell = () => undefined,
    private readonly apart: Apart | null = null,
  ) {
    this.floor = new QueueFloor(pool)
  }

  /** Whether more may wait than was handled. */
  get isBehind(): boolean {
    return this.isMuch
  }

  /** The shards that have anything to handle. */
  async busyShards(): Promise<number[]> {
    await this.floor.keepUp()
    return busyShards(this.pool, this.floor.known)
  }

  /**
   * Handles one batch of a shard's changes in one transaction: claim, decide, write runs with their effects, traces and messages. What throws on the
   * way is narrowed to the change that causes it, which is set aside with a failed run; the rest goes on.
   * Answers how many changes were handled; null where another worker has the shard. @throws Error where the database is away or busy
   */
  async handleShard(shard: number): Promise<Handled | null> {
    try {
      return await this.handleAlone(shard, BATCH)
    } catch (error) {
      await this.forget([shard])
      if (!isFaultOfData(error)) throw error
      this.tell('a batch of changes could not be handled; they are taken one by one', { shard, error: String(error) })
      return this.handleOneByOne(shard)
    }
  }

  /**
   * Handles one batch of each of some shards: in one transaction, or where much waits several in each of two at a time, so that one is decided about while another is read; how many changes
   * were handled. `goesOn` is asked before each. @throws Error where the database is away or busy, once nothing is under way any more
   */
  async handleShards(shards: readonly number[], goesOn: () => boolean = () => true, tell: (done: Handled) => void = () => undefined): Promise<number> {
    const open = [...shards]
    const { isMuch } = this
    this.isMuch = false
    const together = isMuch ? Math.ceil(open.length / Math.max(AT_ONCE, Math.ceil(open.length / SHARDS_TOGETHER))) : open.length
    const most = Math.ceil((isMuch ? BATCH : LITTLE) / together)
    let handled = 0
    const lane = async () => {
      while (open.length > 0 && goesOn()) {
        const done = await this.handleTogether(open.splice(0, together), most)
        handled += done.changes
        tell(done)
      }
    }
    await allOver(Array.from({ length: isMuch ? AT_ONCE : 1 }, lane))
    return handled
  }

  /** A batch of some shards in one transaction; those of which the oldest change was tried before, and all of them where something throws, are handled each by itself. */
  private async handleTogether(shards: readonly number[], most: number): Promise<Handled> {
    if (shards.length === 1) return this.eachAlone(shards)
    const begun: number[] = []
    try {
      const { done, apart } = await transaction(this.pool, async (db) => {
        const taken = await takeShards(db, shards)
        if (taken.length === 0) return { done: NOTHING, apart: [] }
        const noting = noteFirstAttempts(
          this.pool,
          taken.map((shard) => this.placeOf(shard)),
        ).then((heads) => {
          const first = heads.filter((head) => head.isFirst)
          for (const { shard, change } of first) this.noted.set(shard, change)
          begun.push(...first.map((head) => head.shard))
          return heads
        })
        const [heads, program] = await allOver([noting, this.current(db)])
        const triedBefore = heads.flatMap((head) => (head.isFirst ? [] : head.shard))
        const together = taken.filter((shard) => !triedBefore.includes(shard))
        return { done: await this.handleClaimed(db, program, together, most), apart: triedBefore }
      })
      return sumOf(done, await this.eachAlone(apart))
    } catch (error) {
      await this.forget(begun)
      if (!isFaultOfData(error) && !mayPass(error)) throw error
      return this.eachAlone(shards)
    }
  }

  private placeOf(shard: number): Place {
    return { shard, above: this.handled.get(shard) ?? 0, noted: this.noted.get(shard) ?? null }
  }

  /** Takes back what was noted of shards: nothing died at it. */
  private async forget(shards: readonly number[]): Promise<void> {
    const noted = shards.flatMap((shard) => {
      const change = this.noted.get(shard)
      return change === undefined ? [] : { shard, change }
    })
    await forgetAttempts(this.pool, noted)
    for (const { shard } of noted) this.noted.delete(shard)
  }

  /** Each of some shards by itself; one in which something stands in the way that may pass holds up no other. @throws Error where nothing else could be done */
  private async eachAlone(shards: readonly number[]): Promise<Handled> {
    let sum = NOTHING
    let inTheWay: unknown = null
    for (const shard of shards) {
      try {
        sum = sumOf(sum, await this.handleShard(shard))
      } catch (error) {
        if (!mayPass(error)) throw error
        this.tell('something that may pass is in the way of changes; they are tried again, and the others go on', { shard, error: String(error) })
        inTheWay = error
      }
    }
    if (inTheWay !== null && sum.changes === 0) throw inTheWay
    return sum
  }

  private async handleAlone(shard: number, limit: number): Promise<Handled | null> {
    return transaction(this.pool, async (db) => {
      if (!(await takeShard(db, shard))) return null
      const program = await this.current(db)
      const noted = await noteAttempt(this.pool, this.placeOf(shard))
      if (noted) this.noted.set(shard, noted.change)
      const tries = noted?.tries ?? 0
      if (tries >= ASIDE_FROM) {
        this.tell('a change was set aside at which workers died', { shard })
        const why = `Reading it ended the worker ${tries - 1} times, so it was set aside and the others went on. Mend the record, then try the run again.`
        return setAside(db, shard, program, this.post(program), why)
      }
      const apart = tries >= APART_FROM ? this.apart : null
      return this.handleClaimed(db, program, [shard], apart ? 1 : limit, apart)
    })
  }

  /** Claims changes of shards that are taken, decides about them, and writes what comes of it. */
  private async handleClaimed(db: Queryable, program: Program, shards: readonly number[], limit: number, apart: Apart | null = null): Promise<Handled> {
    const { changes, last, isFull } = await claimChanges(db, shards, limit, program.surroundings.schema, this.floor.known)
    this.isMuch ||= isFull
    const empty = shards.filter((shard) => !last.has(shard)) // none may be taken yet
    await this.forget(empty)
    const loud = changes.filter((c) => !c.by.quiet) // what was written quietly passes by
    const fired = await decide(db, program, loud, { apart, slow: this.slow })
    const firings = program.anyStays ? await this.withStays(db, program, changes, fired) : fired
    await persist(db, firings, this.post(program))
    for (const [shard, id] of last) this.handled.set(shard, id)
    return { changes: changes.length, runs: firings.length }
  }

  /** Lets changes begin and end what is to stay so; answers what fires at once, and what had stayed so before one of them came. */
  private async withStays(db: Queryable, program: Program, changes: readonly Change[], fired: readonly Firing[]): Promise<Firing[]> {
    const followed = await followStays(db, program, changes, fired.filter(begins), this.versions)
    const stayed = followed.pairs.length ? await fire(db, program, followed.pairs, this.deciding) : []
    await followed.close(stayed)
    return [...fired.filter((f) => !begins(f)), ...stayed]
  }

  /** How occasions are decided about here. */
  get deciding(): Deciding {
    return { apart: null, slow: this.slow }
  }

  /** Takes as many changes as a batch has, each in a transaction of its own; one that cannot be handled is set aside. */
  private async handleOneByOne(shard: number): Promise<Handled> {
    let sum = NOTHING
    for (let i = 0; i < BATCH; i++) {
      const handled = await this.handleAlone(shard, 1).catch((error: unknown) => this.aside(shard, error))
      if (!handled || handled.changes === 0) break
      sum = sumOf(sum, handled)
    }
    return sum
  }

  private async aside(shard: number, error: unknown): Promise<Handled | null> {
    await this.forget([shard])
    if (!isFaultOfData(error)) throw error
    this.tell('a change could not be handled and was set aside', { shard, error: String(error) })
    return transaction(this.pool, async (db) => {
      if (!(await takeShard(db, shard))) return null
      const program = await this.current(db)
      return setAside(db, shard, program, this.post(program), undecidable(error))
    })
  }

  /** Handles changes that passed a workflow by while it was paused and are run after all; how many. */
  async handleLate(): Promise<number> {
    if (!(await hasLate(this.pool))) return 0
    try {
      return await this.handleLateBatch(LATE_BATCH)
    } catch (error) {
      if (!isFaultOfData(error)) throw error
    }
    return this.handleLateBatch(1).catch(async (error: unknown) => {
      if (!isFaultOfData(error)) throw error
      this.tell('a change that passed a workflow by could not be handled', { error: String(error) })
      return transaction(this.pool, async (db) => setLateAside(db, this.post(await this.current(db)), undecidable(error)))
    })
  }

  private handleLateBatch(limit: number): Promise<number> {
    return transaction(this.pool, async (db) => {
      const program = await this.current(db)
      const late = await claimLate(db, program.surroundings.schema, limit)
      const pairs: Pair[] = []
      for (const { workflow, version, change } of late)
        pairs.push({ live: await this.versions.get(db, program, { workflow, version, trial: null }), occasion: changeOccasion(change) })
      const fired = await fire(db, program, pairs, this.deciding)
      const begun = fired.filter(begins)
      const stayed = begun.length ? await fire(db, program, await followLate(db, begun, program.surroundings, this.clock()), this.deciding) : []
      const firings = [...fired.filter((f) => !begins(f)), ...stayed]
      await persist(
        db,
        firings.map((firing) => ({ ...firing, late: true })),
        this.post(program),
      )
      return late.length
    })
  }

  /** What mail is posted with. */
  post(program: Program): Post {
    return { clock: this.clock, baseUrl: this.baseUrl, whySecret: program.whySecret, caps: program.caps, withSay: program.withSay }
  }

  /** The program as things stand. @throws Stale where an attached table is not as it was looked at */
  async current(db: Queryable): Promise<Program> {
    if (this.program?.generation !== (await readGeneration(db))) this.program = await loadProgram(db, this.baseUrl)
    const held = await holdStill(db, this.program)
    if ([...this.held].some((table) => !held.has(table))) await hurryRuns(db, IS_HELD, this.clock()) // before later changes overtake more of them
    this.held = held
    return held.size ? { ...this.program, held } : this.program
  }
}

/** Whether a firing only begins a wait: what it fires for is to stay so first. */
const begins = ({ live, occasion, settled }: Firing) => Boolean(live.stays) && occasion.kind === 'change' && 'plan' in settled

/** Waits for what is under way at once, until all of it is over; what it came to. @throws what the first that failed threw */
async function allOver<T extends readonly Promise<unknown>[]>(under: readonly [...T]): Promise<{ -readonly [K in keyof T]: Awaited<T[K]> }> {
  await Promise.allSettled(under)
  return Promise.all(under)
}

/** Why a change is set aside that could not be handled, in a sentence. */
const undecidable = (error: unknown) => `It could not be decided about: ${faultOf(explained(error))}`
