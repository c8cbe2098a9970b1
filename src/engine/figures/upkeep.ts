import type { Pool } from 'pg'
import { isComputed, type MeasureKind, measureOf } from '@/core/document/figure'
import { compileComputed, families, inOrder, linesOf } from '@/core/figures/computed'
import { groupingOf } from '@/core/figures/groups'
import { additiveValue, type Counted, Exact, isAdditive, valueOfNothing } from '@/core/figures/parts'
import type { FigureSetting } from '@/core/figures/sql'
import { groupsOf, together } from '@/core/figures/together'
import { type Days, daysWithin } from '@/core/figures/window'
import { faultOf, must } from '@/core/must'
import { dayFrom, startOfDay } from '@/core/values/dates'
import { limitLockWaits, type Queryable, transaction } from '@/store/database'
import type { NewCrossing } from '@/store/figures/crossings'
import { noteFault, noteSeen, takeFigures } from '@/store/figures/definitions'
import { dropEmptyParts, figuresToLookAt, foldIn, transactionsIn, type Unseen, unseen } from '@/store/figures/fold'
import { addUpInMemory } from '@/store/figures/moves'
import { isOverRecords, type KeptFigure, type KeptTableFigure } from '@/store/figures/rows'
import { countedGroups } from '@/store/figures/values'
import { explained, isFaultOfData, mayPass } from '@/store/problems'
import type { Clock } from '../clock'
import { BY_CLOCK, byTransaction, Path } from './path'

/** What came of moving a figure. */
export interface Moved {
  readonly figure: KeptFigure
  readonly crossings: readonly NewCrossing[]
}

/** A figure over records, what it has to take in, and the days of its window. */
interface Taken {
  readonly figure: KeptTableFigure
  readonly range: Unseen | null
  readonly days: Days | null
  readonly rolls: boolean
}

/**
 * Keeps figures up: transactions that are in none yet are folded in, each as one move, in order, and windows roll with the calendar. A figure is moved together with all that it is worked out from and all
 * that is worked out from it, up to the same snapshot, in one transaction with what is crossed, by one worker at a time.
 */
export class Upkeep {
  constructor(
    private readonly pool: Pool,
    private readonly clock: Clock,
    /** What is done about crossings, in the same transaction. */
    private readonly about: (db: Queryable, moved: Moved) => Promise<void>,
  ) {}

  /** Moves every figure that has something to move; how many families of them had. What may pass and is in the way of some holds up no others. @throws Error where nothing else could be moved */
  async moveAll(setting: FigureSetting): Promise<number> {
    let moved = 0
    let inTheWay: unknown = null
    const all = await figuresToLookAt(this.pool, setting)
    const byName = new Map(all.map((one) => [one.figure.name, one]))
    for (const family of families(all.map(({ figure }) => figure.definition))) {
      const own = family.map((f) => must(byName.get(f.name)))
      const hasTo = own.some(({ figure, isBehind }) => isBehind || (isOverRecords(figure) && this.rolls(figure, setting)))
      if (!hasTo) continue
      const ids = own.map(({ figure }) => figure.id)
      try {
        if (await this.moveSafely(ids, setting)) moved++
      } catch (error) {
        if (!mayPass(error)) throw error
        inTheWay = error
      }
    }
    if (inTheWay !== null && moved === 0) throw inTheWay
    return moved
  }

  /** Moves figures that belong together, where what is wrong with them is noted with them and holds up no others. @throws Error where the database is away or busy */
  async moveSafely(ids: readonly number[], setting: FigureSetting): Promise<boolean> {
    try {
      return await this.move(ids, setting)
    } catch (error) {
      if (!isFaultOfData(error)) throw error
      for (const id of ids) await noteFault(this.pool, id, faultOf(explained(error)))
      return false
    }
  }

  /** Moves figures that belong together; whether there was anything to move. */
  move(ids: readonly number[], setting: FigureSetting): Promise<boolean> {
    return transaction(this.pool, async (db) => {
      await limitLockWaits(db) // a table that its owner holds is in the way of its own figures alone
      const taken = await takeFigures(db, ids)
      if (!taken) return false
      const over = taken.figures.filter(isOverRecords)
      await addUpInMemory(db)
      if (over.some((f) => !setting.schema.has(f.definition.table))) return false
      const now = this.clock()
      const until = await this.untilOf(db, over, taken.now, setting)
      const parts: Taken[] = []
      for (const figure of over) {
        const days = this.days(figure, setting, now)
        parts.push({ figure, days, range: await unseen(db, figure, until, setting), rolls: days !== null && (days.from !== figure.from || days.to !== figure.to) })
      }
      if (!parts.some((p) => p.range || p.rolls)) return false
      await new Moving(db, setting, now, this.about).go(taken.figures, parts)
      return true
    })
  }

  /** Up to which snapshot figures can be moved together without taking in too much at once. */
  private async untilOf(db: Queryable, figures: readonly KeptTableFigure[], now: string, setting: FigureSetting): Promise<string> {
    let until = now
    if (figures.length === 1) return now
    for (const figure of figures) until = (await unseen(db, figure, until, setting))?.until ?? until
    return until
  }

  /** Whether a figure's window takes in other days than when it was last moved. */
  private rolls(figure: KeptTableFigure, setting: FigureSetting): boolean {
    const days = this.days(figure, setting, this.clock())
    return days !== null && (days.from !== figure.from || days.to !== figure.to)
  }

  /** The days of a figure's window; never earlier ones than it took in before, whatever the clock says. */
  private days({ definition: { within }, from, to }: KeptTableFigure, { organisation }: FigureSetting, now: Date): Days | null {
    if (!within) return null
    const days = daysWithin(within, now, organisation.zone)
    return from !== null && to !== null && days.to < to ? { from, to } : days
  }
}

/** When windows roll next: at the next midnight of the zone, whatever its clocks do until then. */
export const nextRoll = (now: Date, zone: string): Date => startOfDay(dayFrom(now, 1, zone), zone)

/** What nothing comes to. */
const nothing = (kind: MeasureKind, grp: string) => ({ grp, n: 0, total: '0', value: valueOfNothing(kind) })

/** One batch of moves of figures that belong together. */
class Moving {
  private readonly paths = new Map<string, Path>()

  constructor(
    private readonly db: Queryable,
    private readonly setting: FigureSetting,
    private readonly now: Date,
    private readonly about: (db: Queryable, moved: Moved) => Promise<void>,
  ) {}

  async go(figures: readonly KeptFigure[], parts: readonly Taken[]): Promise<void> {
    const judged = figures.some((f) => f.definition.thresholds?.length)
    for (const { figure, range, days, rolls } of parts) {
      const { kind } = measureOf(figure.definition.of)
      const path = new Path(this.db, figure.id, figure.definition.by !== undefined, valueOfNothing(kind))
      this.paths.set(figure.name, path)
      if (rolls) await this.roll(figure, path, must(days))
      if (range) await this.fold(figure, path, range, days, judged)
      await noteSeen(this.db, figure.id, range?.until ?? figure.seen, days, this.now)
    }
    const byName = new Map(figures.map((f) => [f.name, f]))
    const definitions = inOrder(figures.map((f) => f.definition))
    for (const { name } of definitions) {
      const figure = must(byName.get(name))
      if (this.paths.has(name)) continue
      const gone = namesIn(figure.definition).find((part) => !this.paths.has(part))
      if (gone !== undefined) {
        await noteFault(this.db, figure.id, `It names ${gone}, which is gone.`)
        continue
      }
      await this.compute(figure, byName)
      await noteSeen(this.db, figure.id, figure.seen, null, this.now)
    }
    for (const { name, thresholds = [] } of definitions) {
      const figure = must(byName.get(name))
      if (!this.paths.has(name)) continue
      await this.lookBeside(figure)
      const crossings = await must(this.paths.get(name)).write(thresholds, this.paths, this.now)
      if (crossings.length) await this.about(this.db, { figure, crossings })
    }
  }

  /** Lets a window take in other days. */
  private async roll({ id, definition }: KeptTableFigure, path: Path, days: Days): Promise<void> {
    const { kind } = measureOf(definition.of)
    const counted = new Map((await countedGroups(this.db, id, kind, days, null)).map((row) => [row.grp, row]))
    const groups = definition.by === undefined ? ['null'] : [...counted.keys()]
    await path.look(groups)
    for (const grp of groups) path.note(BY_CLOCK, counted.get(grp) ?? nothing(kind, grp))
  }

  /** Folds transactions in, and follows what each makes of the groups that it moves; `judged`: whether it matters what each by itself makes of them. */
  private async fold(figure: KeptTableFigure, path: Path, range: Unseen, days: Days | null, judged: boolean): Promise<void> {
    const { id, definition } = figure
    const { kind } = measureOf(definition.of)
    if (isAdditive(kind)) {
      const moves = await foldIn(this.db, figure, this.setting, range, days, judged)
      await path.look([...new Set(moves.map((m) => m.grp))])
      const sums = new Map<string, Counted>()
      for (const { grp, n, total, id: change, xid } of moves) {
        const was = sums.get(grp) ?? { n: path.of(grp).n, total: new Exact(path.of(grp).total) }
        const sum = { n: was.n + n, total: total === '0' ? was.total : was.total.plus(total) }
        sums.set(grp, sum)
        path.note(byTransaction(change, xid ?? ALL), { grp, n: sum.n, total: kind === 'count' ? '0' : sum.total.toFixed(), value: additiveValue(kind, sum) })
      }
      return
    }
    for (const part of judged ? await transactionsIn(this.db, range) : [range]) {
      const moves = await foldIn(this.db, figure, this.setting, part, days, false)
      const groups = [...new Set(moves.map((m) => m.grp))]
      await path.look(groups)
      const counted = new Map((await countedGroups(this.db, id, kind, days, groups)).map((row) => [row.grp, row]))
      for (const grp of groups) path.note(byTransaction(moves[0]?.id ?? 0, part.xid ?? ALL), counted.get(grp) ?? nothing(kind, grp))
      await dropEmptyParts(this.db, id, groups)
    }
  }

  /** Works a figure out from those that it names, move by move. */
  private async compute(figure: KeptFigure, byName: ReadonlyMap<string, KeptFigure>): Promise<void> {
    const { definition } = figure
    if (!isComputed(definition)) return
    const all = new Map([...byName].map(([name, f]) => [name, f.definition]))
    const path = new Path(this.db, figure.id, groupingOf(definition, this.setting.schema, all) !== undefined, null)
    this.paths.set(figure.name, path)
    const { names, work } = compileComputed(definition)
    await this.lookTogether(names)
    const tracks = names.map((name) => must(this.paths.get(name)).track())
    await path.look(groupsOf(tracks))
    for (const { grp, mover, values, n } of together(tracks)) path.note(mover, { grp, n, total: '0', value: work(values) })
  }

  /** Has paths know all groups that any of them moves: where one without groups does, every group moves. */
  private async lookTogether(names: readonly string[]): Promise<void> {
    const paths = names.map((name) => must(this.paths.get(name)))
    const moved = [...new Set(paths.filter((p) => p.track().isGrouped).flatMap((p) => p.moved()))]
    const isWhole = paths.some((p) => !p.track().isGrouped && p.moved().length > 0)
    for (const path of paths) {
      if (!path.track().isGrouped) await path.look(['null'])
      else if (isWhole) await path.lookAtAll()
      else await path.look(moved)
    }
  }

  /** The same for a figure and those that its thresholds are at. */
  private async lookBeside({ name, definition }: KeptFigure): Promise<void> {
    const lines = linesOf(definition).filter((line) => this.paths.has(line))
    if (lines.length) await this.lookTogether([name, ...lines])
  }
}

/** The figures that a computed one names; none of any other. */
const namesIn = (definition: KeptFigure['definition']): readonly string[] => (isComputed(definition) ? compileComputed(definition).names : [])

/** What stands for the transactions of a batch that need not be told apart. */
const ALL = 'all of them'
