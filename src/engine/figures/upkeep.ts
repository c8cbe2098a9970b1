import type { Pool } from 'pg'
import { CLOCK } from '@/core/cues/occasion'
import { type MeasureKind, measureOf, type Threshold } from '@/core/document/figure'
import { additiveValue, type Counted, Exact, isAdditive, valueOfNothing } from '@/core/figures/parts'
import { type Crossed, crossed, type Step } from '@/core/figures/path'
import type { FigureSetting } from '@/core/figures/sql'
import { type Days, daysWithin } from '@/core/figures/window'
import { faultOf, must } from '@/core/must'
import { dayFrom, startOfDay } from '@/core/values/dates'
import { readBareChange } from '@/store/changes'
import { type Queryable, transaction } from '@/store/database'
import type { NewCrossing } from '@/store/figures/crossings'
import { type KeptFigure, noteFault, noteSeen, takeFigure } from '@/store/figures/definitions'
import { dropEmptyParts, figuresToLookAt, foldIn, transactionsIn, type Unseen, unseen } from '@/store/figures/fold'
import { countedGroups, type GroupRow, readGroups, writeGroups } from '@/store/figures/values'
import { explained, isFaultOfData } from '@/store/problems'
import type { Clock } from '../clock'

/** What moved a group: a transaction, by its last change, or the clock; and how many records are behind it then. */
interface Mover {
  readonly change: number | null
  readonly xid: string | null
  readonly n: number
}

/** What came of moving a figure. */
export interface Moved {
  readonly figure: KeptFigure
  readonly crossings: readonly NewCrossing[]
}

/**
 * Keeps figures up: transactions that are in none yet are folded in, each as one move, in order, and windows roll with the calendar. Everything of a figure is done in one transaction
 * with what it crosses, by one worker at a time.
 */
export class Upkeep {
  constructor(
    private readonly pool: Pool,
    private readonly clock: Clock,
    /** What is done about crossings, in the same transaction. */
    private readonly about: (db: Queryable, moved: Moved) => Promise<void>,
  ) {}

  /** Moves every figure that has something to move; how many had. */
  async moveAll(setting: FigureSetting): Promise<number> {
    let moved = 0
    for (const { figure, isBehind } of await figuresToLookAt(this.pool)) {
      if ((isBehind || this.rolls(figure, setting)) && (await this.moveSafely(figure.id, setting))) moved++
    }
    return moved
  }

  /** The same, where what is wrong with one figure is noted with it and holds up no other. @throws Error where the database is away or busy */
  async moveSafely(id: number, setting: FigureSetting): Promise<boolean> {
    try {
      return await this.move(id, setting)
    } catch (error) {
      if (!isFaultOfData(error)) throw error
      await noteFault(this.pool, id, faultOf(explained(error)))
      return false
    }
  }

  /** Moves one figure; whether there was anything to move. */
  move(id: number, setting: FigureSetting): Promise<boolean> {
    return transaction(this.pool, async (db) => {
      const figure = await takeFigure(db, id)
      if (!figure || !setting.schema.has(figure.definition.table)) return false
      const now = this.clock()
      const crossings: NewCrossing[] = []
      const days = this.days(figure, setting, now)
      const rolls = days !== null && (days.from !== figure.from || days.to !== figure.to)
      if (rolls) crossings.push(...(await roll(db, figure, days, now)))
      const range = await unseen(db, figure)
      if (!range && !rolls) return false
      if (range) crossings.push(...(await fold(db, figure, setting, range, days, now)))
      await noteSeen(db, id, range?.until ?? figure.seen, days, now)
      if (crossings.length) await this.about(db, { figure, crossings })
      return true
    })
  }

  /** Whether a figure's window takes in other days than when it was last moved. */
  private rolls(figure: KeptFigure, setting: FigureSetting): boolean {
    const days = this.days(figure, setting, this.clock())
    return days !== null && (days.from !== figure.from || days.to !== figure.to)
  }

  /** The days of a figure's window; never earlier ones than it took in before, whatever the clock says. */
  private days({ definition: { within }, from, to }: KeptFigure, { organisation }: FigureSetting, now: Date): Days | null {
    if (!within) return null
    const days = daysWithin(within, now, organisation.zone)
    return from !== null && to !== null && days.to < to ? { from, to } : days
  }
}

/** When windows roll next: at the next midnight of the zone, whatever its clocks do until then. */
export const nextRoll = (now: Date, zone: string): Date => startOfDay(dayFrom(now, 1, zone), zone)

/** What nothing comes to. */
const nothing = (kind: MeasureKind, grp: string) => ({ grp, n: 0, total: '0', value: valueOfNothing(kind) })

/** Lets a window take in other days. */
async function roll(db: Queryable, { id, definition }: KeptFigure, days: Days, now: Date): Promise<NewCrossing[]> {
  const { kind } = measureOf(definition.of)
  const counted = new Map((await countedGroups(db, id, kind, days, null)).map((row) => [row.grp, row]))
  const path = new Path(db, id, definition.thresholds ?? [])
  const groups = definition.by === undefined ? ['null'] : [...counted.keys()]
  await path.look(groups)
  for (const grp of groups) path.note({ change: null, xid: null }, counted.get(grp) ?? nothing(kind, grp))
  return path.write(now)
}

/** Folds transactions in, and follows what each makes of the groups that it moves. */
async function fold(db: Queryable, figure: KeptFigure, setting: FigureSetting, range: Unseen, days: Days | null, now: Date): Promise<NewCrossing[]> {
  const { id, definition } = figure
  const { kind } = measureOf(definition.of)
  const thresholds = definition.thresholds ?? []
  const path = new Path(db, id, thresholds)
  if (isAdditive(kind)) {
    const moves = await foldIn(db, figure, setting, range, days, thresholds.length > 0)
    await path.look([...new Set(moves.map((m) => m.grp))])
    const sums = new Map<string, Counted>()
    for (const { grp, n, total, id: change, xid } of moves) {
      const was = sums.get(grp) ?? { n: path.of(grp).n, total: new Exact(path.of(grp).total) }
      const sum = { n: was.n + n, total: total === '0' ? was.total : was.total.plus(total) }
      sums.set(grp, sum)
      path.note({ change, xid }, { grp, n: sum.n, total: kind === 'count' ? '0' : sum.total.toFixed(), value: additiveValue(kind, sum) })
    }
    return path.write(now)
  }
  for (const part of thresholds.length ? await transactionsIn(db, figure, range) : [range]) {
    const moves = await foldIn(db, figure, setting, part, days, false)
    const groups = [...new Set(moves.map((m) => m.grp))]
    await path.look(groups)
    const counted = new Map((await countedGroups(db, id, kind, days, groups)).map((row) => [row.grp, row]))
    for (const grp of groups) path.note({ change: moves[0]?.id ?? null, xid: part.xid ?? null }, counted.get(grp) ?? nothing(kind, grp))
    await dropEmptyParts(db, id, groups)
  }
  return path.write(now)
}

/** What groups of a figure came to, one move after the other. */
class Path {
  private readonly rows = new Map<string, GroupRow>()
  private readonly steps = new Map<string, Step<Mover>[]>()

  constructor(
    private readonly db: Queryable,
    private readonly figure: number,
    private readonly thresholds: readonly Threshold[],
  ) {}

  /** Reads groups as they stand; one that is seen for the first time was blank. */
  async look(groups: readonly string[]): Promise<void> {
    const missing = groups.filter((grp) => !this.rows.has(grp))
    if (missing.length === 0) return
    const known = await readGroups(this.db, this.figure, missing)
    for (const grp of missing) this.rows.set(grp, known.get(grp) ?? { grp, n: 0, total: '0', value: null, sides: {} })
  }

  of(grp: string): GroupRow {
    return must(this.rows.get(grp))
  }

  note(mover: Omit<Mover, 'n'>, next: Omit<GroupRow, 'sides'>): void {
    const was = this.of(next.grp)
    this.rows.set(next.grp, { ...next, sides: was.sides })
    if (was.value === next.value) return
    const steps = this.steps.get(next.grp) ?? []
    this.steps.set(next.grp, steps)
    steps.push({ move: { ...mover, n: next.n }, before: was.value, value: next.value })
  }

  /** Writes what the groups have come to; answers what was crossed, in order. */
  async write(now: Date): Promise<NewCrossing[]> {
    const found: (Crossed<Mover> & { readonly grp: string })[] = []
    const rows = [...this.rows.values()].map((row): GroupRow => {
      const { crossings, sides } = crossed(this.thresholds, row.sides, this.steps.get(row.grp) ?? [])
      found.push(...crossings.map((c) => ({ ...c, grp: row.grp })))
      return { ...row, sides }
    })
    await writeGroups(this.db, this.figure, rows, now)
    const crossings: NewCrossing[] = []
    for (const { grp, threshold, before, value, move } of found.sort((a, b) => (a.move.change ?? 0) - (b.move.change ?? 0))) {
      const change = move.change === null ? null : await readBareChange(this.db, move.change)
      const { at, by, run, depth } = change ?? { at: now, by: CLOCK, run: null, depth: 0 }
      crossings.push({
        figure: this.figure,
        threshold: threshold.name,
        line: threshold.value,
        grp,
        before,
        value,
        n: move.n,
        at,
        change_id: move.change,
        xid: move.xid,
        by,
        run,
        depth,
      })
    }
    return crossings
  }
}
