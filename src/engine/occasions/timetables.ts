import type { Pool } from 'pg'
import type { ChangedBy } from '@/core/changes/change'
import { lastTick, nextTick, readCron } from '@/core/cues/cron'
import { tickOccasion } from '@/core/cues/occasion'
import { faultOf, must } from '@/core/must'
import type { Lookups } from '@/core/paths/lookups'
import { after } from '@/core/values/duration'
import { type Image, idOf, type RecordId, titleOf } from '@/core/values/tables'
import type { CompiledWorkflow } from '@/core/workflow/compiled'
import { fitsAsGroup, fitsNow } from '@/core/workflow/judge'
import { holdOffSwitches } from '@/store/changes'
import { inSavepoint, type Queryable, transaction } from '@/store/database'
import { standingPage } from '@/store/figures/standing'
import { countOwnerless, type FittingQuery, fittingOwners, fittingPage } from '@/store/fitting'
import { explained, isFaultOfData, mayPass } from '@/store/problems'
import { beginStays } from '@/store/stays'
import { beginTick, fittedAt, forgetFitted, moveTick, moveTimetable, nextMoment, noteFitted, type TickRow, takeTick, takeTimetable } from '@/store/timetables'
import type { Clock } from '../clock'
import type { Dispatcher } from '../dispatch'
import { fire, type Pair } from '../fire'
import { persist } from '../persist'
import type { LiveWorkflow, Program } from '../program'
import { ask } from '../settle'
import type { Tell } from '../tell'
import { fittingQuery, isToldByQuery } from './fits'
import type { Source } from './source'

/** Records, and owners, that are gone through in one transaction. */
const RECORDS_A_PAGE = 500
const OWNERS_A_PAGE = 50

/** A moment that was missed by more than this passes by; one that was missed by less runs, late. */
const TOO_LATE_MS = 86_400_000

/** A moment that is handled later than this is said to be late. */
const LATE_MS = 60_000

/** Who is behind what begins to wait when a workflow goes live. */
const GOING_LIVE: ChangedBy = { kind: 'system', person: null, name: 'going live' }

/** What going through one page came to. */
type Moved = Pick<TickRow, 'cursor' | 'fitted' | 'fired' | 'ownerless'> & { readonly isDone: boolean }

/** How long a moment is left alone that something is in the way of which may pass, such as a table that its owner holds; the others are gone through meanwhile. */
const LEFT_ALONE_MS = 5_000

/** Moments of timetables: begins them when they come, and goes through what fits page by page, so that a crash neither skips nor repeats any of it. */
export class Timetables implements Source {
  /** Moments that are left alone, and until when. */
  private readonly leftAlone = new Map<number, number>()

  constructor(
    private readonly pool: Pool,
    private readonly dispatcher: Dispatcher,
    private readonly clock: Clock,
    private readonly tell: Tell = () => undefined,
    private readonly recordsAPage = RECORDS_A_PAGE,
  ) {}

  /** When the next moment comes, or null. */
  next(): Promise<Date | null> {
    return nextMoment(this.pool)
  }

  /** Begins a moment that has come, or goes through a page of one that was begun. */
  async handle(): Promise<number> {
    return (await this.begin()) + (await this.goOn())
  }

  private begin(): Promise<number> {
    return transaction(this.pool, async (db) => {
      await holdOffSwitches(db)
      const now = this.clock()
      const row = await takeTimetable(db, now)
      if (!row) return 0
      const program = await this.dispatcher.current(db)
      const live = await this.dispatcher.versions.get(db, program, { ...row, trial: null })
      const read = readCron(cronOf(live))
      if ('problem' in read) {
        await moveTimetable(db, row.workflow, now, null, null)
        return 1
      }
      const { zone } = program.surroundings.organisation
      const at = lastTick(read.cron, row.done_until, now, zone)
      const isMissed = !at || now.getTime() - at.getTime() > TOO_LATE_MS
      if (at && !isMissed)
        await beginTick(db, { workflow: row.workflow, version: row.version, at, before_at: row.looked_at, late: now.getTime() - at.getTime() > LATE_MS, fires: true }, now)
      await moveTimetable(db, row.workflow, at ?? now, nextTick(read.cron, now, zone), at && !isMissed ? at : null)
      return 1
    })
  }

  private goOn(): Promise<number> {
    return transaction(this.pool, async (db) => {
      await holdOffSwitches(db)
      const now = performance.now()
      for (const [id, until] of this.leftAlone) if (until <= now) this.leftAlone.delete(id)
      const tick = await takeTick(db, [...this.leftAlone.keys()])
      if (!tick) return 0
      const program = await this.dispatcher.current(db)
      const live = await this.dispatcher.versions.get(db, program, { ...tick, trial: null })
      let moved: Moved
      try {
        moved = await inSavepoint(db, () => this.page(db, program, live, tick))
      } catch (error) {
        if (mayPass(error)) this.leftAlone.set(tick.id, now + LEFT_ALONE_MS)
        if (!isFaultOfData(error)) throw error
        this.tell('a moment of a timetable could not be gone through', { workflow: live.name, error: String(error) })
        await this.fail(db, program, live, tick, faultOf(explained(error)))
        moved = { ...tick, isDone: true }
      }
      await moveTick(db, { id: tick.id, ...moved }, moved.isDone ? this.clock() : null)
      if (moved.isDone) await forgetFitted(db, tick.workflow, tick.version, tick.at)
      return 1
    })
  }

  private page(db: Queryable, program: Program, live: LiveWorkflow, tick: TickRow): Promise<Moved> {
    const cue = live.compiled?.cue
    if (live.compiled && !tick.fires) return this.look(db, program, live, live.compiled, tick)
    if (!live.compiled || cue?.kind !== 'timetable') throw new Error(live.fault ?? 'It is no timetable any more.')
    if (cue.per === 'group') return this.groups(db, program, live, tick, cue.over?.figure ?? '')
    const query = fittingQuery(live.compiled, tick.at)
    if (cue.per === 'record') return this.records(db, program, live, tick, query)
    return cue.per === 'owner' ? this.owners(db, program, live, tick, query) : this.all(db, program, live, tick)
  }

  private async records(db: Queryable, program: Program, live: LiveWorkflow, tick: TickRow, query: FittingQuery): Promise<Moved> {
    const { page, fitting } = await this.fitting(db, program, must(live.compiled), tick, query)
    const { compiled } = live
    const ids = fitting.map(idOf)
    const isEvery = compiled?.workflow.firing === 'every'
    const before = isEvery ? new Set<RecordId>() : await fittedAt(db, tick.workflow, tick.version, ids, tick.before_at)
    if (!isEvery) await noteFitted(db, tick.workflow, tick.version, ids, tick.at)
    const pairs = fitting
      .filter((image) => !before.has(idOf(image)))
      .map((image): Pair => ({ live, occasion: tickOccasion({ table: query.table.name, per: 'record', at: tick.at, late: tick.late, image, fitted: false }) }))
    const fired = await this.run(db, program, pairs)
    const last = page.at(-1)
    return { cursor: last ? idOf(last) : tick.cursor, fitted: tick.fitted + fitting.length, fired: tick.fired + fired, ownerless: 0, isDone: page.length < this.recordsAPage }
  }

  /** A page of the records that may fit, and those of them that do. */
  private async fitting(db: Queryable, program: Program, compiled: CompiledWorkflow, tick: TickRow, query: FittingQuery): Promise<{ page: Image[]; fitting: Image[] }> {
    const page = await fittingPage(db, query, tick.cursor, this.recordsAPage)
    if (isToldByQuery(compiled)) return { page, fitting: page }
    const questions = page.map((image) => (lookups: Lookups) => fitsNow(compiled, image, tick.at, lookups))
    const judged = await ask(db, questions, { setting: program.surroundings, dry: true, inTransaction: true })
    return { page, fitting: page.filter((_, i) => judged[i] !== false) }
  }

  /** A page of a figure's groups, as they stand now: those that fit, and did not at the moment before. */
  private async groups(db: Queryable, program: Program, live: LiveWorkflow, tick: TickRow, figure: string): Promise<Moved> {
    const { page, fitting, moved } = await this.fittingGroups(db, program, must(live.compiled), tick, figure)
    const ids = fitting.map((row) => row.grp)
    const isEvery = live.compiled?.workflow.firing === 'every'
    const before = isEvery ? new Set<RecordId>() : await fittedAt(db, tick.workflow, tick.version, ids, tick.before_at)
    if (!isEvery) await noteFitted(db, tick.workflow, tick.version, ids, tick.at)
    const pairs = fitting
      .filter(({ grp }) => !before.has(grp))
      .map(({ standing }): Pair => ({ live, occasion: tickOccasion({ table: live.table, per: 'group', at: tick.at, late: tick.late, standing, fitted: false }) }))
    const fired = await this.run(db, program, pairs)
    return { ...moved, fired: tick.fired + fired, isDone: page.length < this.recordsAPage }
  }

  /** A page of groups, those of them that fit, and how far that is. */
  private async fittingGroups(db: Queryable, program: Program, compiled: CompiledWorkflow, tick: TickRow, figure: string) {
    const page = await standingPage(db, figure, tick.cursor === null ? null : String(tick.cursor), this.recordsAPage)
    const questions = page.map(
      ({ standing }) =>
        (lookups: Lookups) =>
          fitsAsGroup(compiled, standing, tick.at, lookups),
    )
    const judged = await ask(db, questions, { setting: program.surroundings, dry: true, inTransaction: true })
    const fitting = page.filter((_, i) => judged[i] !== false)
    return { page, fitting, moved: { cursor: page.at(-1)?.grp ?? tick.cursor, fitted: tick.fitted + fitting.length, fired: tick.fired, ownerless: 0 } }
  }

  /** The look at going live: what fits is noted as having fitted, or begins to wait where it is to stay so. */
  private async look(db: Queryable, program: Program, live: LiveWorkflow, compiled: CompiledWorkflow, tick: TickRow): Promise<Moved> {
    const { table, cue } = compiled
    if (cue.kind === 'timetable' && cue.per === 'group') {
      const { page, fitting, moved } = await this.fittingGroups(db, program, compiled, tick, cue.over?.figure ?? '')
      const groups = fitting.map((row) => row.grp)
      await noteFitted(db, tick.workflow, tick.version, groups, tick.at)
      return { ...moved, isDone: page.length < this.recordsAPage }
    }
    const { page, fitting } = await this.fitting(db, program, compiled, tick, fittingQuery(compiled, tick.at))
    const ids = fitting.map(idOf)
    if (live.stays) {
      const due_at = after(tick.at, live.stays, program.surroundings.organisation.zone)
      const common = { workflow: tick.workflow, version: tick.version, trial: null, change_id: null, tbl: table.name, by: GOING_LIVE, since: tick.at, due_at }
      await beginStays(
        db,
        fitting.map((image) => ({ ...common, key: `stay live ${tick.version} ${image.id}`, rec: idOf(image), title: titleOf(table, image) })),
      )
    } else await noteFitted(db, tick.workflow, tick.version, ids, tick.at)
    const last = page.at(-1)
    return { cursor: last ? idOf(last) : tick.cursor, fitted: tick.fitted + ids.length, fired: 0, ownerless: 0, isDone: page.length < this.recordsAPage }
  }

  private async owners(db: Queryable, program: Program, live: LiveWorkflow, tick: TickRow, query: FittingQuery): Promise<Moved> {
    const owners = await fittingOwners(db, query, tick.cursor, OWNERS_A_PAGE)
    const pairs = owners.map((owner): Pair => ({ live, occasion: tickOccasion({ table: query.table.name, per: 'owner', at: tick.at, late: tick.late, owner }) }))
    const fired = await this.run(db, program, pairs)
    const isDone = owners.length < OWNERS_A_PAGE
    const ownerless = isDone ? await countOwnerless(db, query) : 0
    return { cursor: owners.at(-1) ?? tick.cursor, fitted: tick.fitted + owners.length, fired: tick.fired + fired, ownerless, isDone }
  }

  private async all(db: Queryable, program: Program, live: LiveWorkflow, tick: TickRow): Promise<Moved> {
    const occasion = tickOccasion({ table: live.table, per: 'all', at: tick.at, late: tick.late })
    const fired = await this.run(db, program, [{ live, occasion }])
    return { cursor: null, fitted: fired, fired, ownerless: 0, isDone: true }
  }

  private async run(db: Queryable, program: Program, pairs: readonly Pair[]): Promise<number> {
    const firings = await fire(db, program, pairs, this.dispatcher.deciding)
    await persist(db, firings, this.dispatcher.post(program))
    return firings.length
  }

  /** Writes a failed run for a moment that could not be gone through. */
  private async fail(db: Queryable, program: Program, live: LiveWorkflow, tick: TickRow, fault: string): Promise<void> {
    const occasion = tickOccasion({ table: live.table, per: 'all', at: tick.at, late: tick.late })
    const chain = [{ workflow: live.workflow, name: live.name, table: live.table, record: null }]
    await persist(db, [{ live, occasion, title: live.table, settled: { fault }, chain }], this.dispatcher.post(program))
  }
}

/** The five fields of a live timetable. */
function cronOf({ compiled }: LiveWorkflow): string {
  return compiled?.cue.kind === 'timetable' ? compiled.cue.cron : ''
}
