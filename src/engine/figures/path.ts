import { CLOCK } from '@/core/cues/occasion'
import type { Threshold } from '@/core/document/figure'
import type { FigureValue, Side } from '@/core/figures/crossing'
import { along, lineAt, type Step } from '@/core/figures/path'
import { begunOf, groupsOf, type Mover, type Track, type TrackStep, together } from '@/core/figures/together'
import { must } from '@/core/must'
import { readBareChange } from '@/store/changes'
import type { Queryable } from '@/store/database'
import type { NewCrossing } from '@/store/figures/crossings'
import { type GroupRow, listGroups, readGroups, writeGroups } from '@/store/figures/values'

/** What moves a group in one batch: a transaction, by its last change, or the clock, which comes first. */
export const byTransaction = (change: number, xid: string): Mover => ({ at: 0, change, xid })
export const BY_CLOCK: Mover = { at: -1, change: null, xid: null }

/** A move, and how many records are behind the group then. */
type Moving = Mover & { readonly n: number }

/** What groups of a figure come to in one batch, one move after the other. */
export class Path {
  private readonly rows = new Map<string, GroupRow>()
  private readonly begun = new Map<string, FigureValue>()
  private readonly counts = new Map<string, number>()
  private readonly steps = new Map<string, Step<Moving>[]>()
  /** Groups that something was put down of. */
  private readonly noted = new Set<string>()

  constructor(
    private readonly db: Queryable,
    private readonly figure: number,
    private readonly isGrouped: boolean,
    /** What a group comes to that has no records. */
    private readonly nothing: FigureValue,
  ) {}

  /** Reads groups as they stand; one that is seen for the first time was blank. */
  async look(groups: readonly string[]): Promise<void> {
    const missing = groups.filter((grp) => !this.rows.has(grp))
    if (missing.length === 0) return
    const known = await readGroups(this.db, this.figure, missing)
    for (const grp of missing) this.hold(known.get(grp) ?? { grp, n: 0, total: '0', value: null, sides: {} })
  }

  /** Reads all groups that there are. */
  async lookAtAll(): Promise<void> {
    for (const row of await listGroups(this.db, this.figure, MOST_GROUPS)) if (!this.rows.has(row.grp)) this.hold(row)
  }

  private hold(row: GroupRow): void {
    this.rows.set(row.grp, row)
    this.begun.set(row.grp, row.value)
    this.counts.set(row.grp, Number(row.n))
  }

  of(grp: string): GroupRow {
    return must(this.rows.get(grp))
  }

  /** The groups that moved. */
  moved(): string[] {
    return [...this.steps.keys()]
  }

  note(mover: Mover, next: Omit<GroupRow, 'sides'>): void {
    const was = this.of(next.grp)
    this.noted.add(next.grp)
    this.rows.set(next.grp, { ...next, sides: was.sides })
    if (was.value === next.value) return
    const steps = this.steps.get(next.grp) ?? []
    this.steps.set(next.grp, steps)
    steps.push({ move: { ...mover, n: next.n }, before: was.value, value: next.value })
  }

  /** What it went through, as others are followed with it. */
  track(): Track {
    const steps = [...this.steps].map(([grp, own]): [string, TrackStep[]] => [grp, own.map(({ move, value }) => ({ mover: move, value, n: move.n }))])
    return { isGrouped: this.isGrouped, begun: this.begun, counts: this.counts, steps: new Map(steps), nothing: this.nothing }
  }

  /** Writes what the groups have come to; answers what was crossed, in order. `lines` are the paths of figures that thresholds are at. */
  async write(thresholds: readonly Threshold[], lines: ReadonlyMap<string, Path>, now: Date): Promise<NewCrossing[]> {
    const found: { grp: string; threshold: Threshold; step: Step<Moving> }[] = []
    const sides = new Map([...this.rows.values()].map((row): [string, Record<string, Side>] => [row.grp, { ...row.sides }]))
    for (const threshold of thresholds) {
      const { value } = threshold
      const line = typeof value === 'number' ? undefined : lines.get(value.figure)
      const steps = line ? this.besides(line) : this.steps
      for (const [grp, own] of steps) {
        const known = sides.get(grp)
        if (!known) continue
        const { crossing, side } = along(threshold, known[threshold.name] ?? 'near', own)
        known[threshold.name] = side
        for (const step of crossing) found.push({ grp, threshold, step })
      }
    }
    const after = [...this.rows.values()].map((row): GroupRow => {
      const own = sides.get(row.grp) ?? {}
      return { ...row, sides: Object.fromEntries(thresholds.map(({ name }): [string, Side] => [name, own[name] ?? 'near'])) }
    })
    const isOther = ({ grp, sides: own }: GroupRow) => thresholds.some(({ name }) => (this.of(grp).sides[name] ?? 'near') !== own[name])
    await writeGroups(
      this.db,
      this.figure,
      after.filter((row) => this.noted.has(row.grp) || isOther(row)),
      now,
    )
    found.sort((a, b) => (a.step.move.change ?? 0) - (b.step.move.change ?? 0))
    const crossings: NewCrossing[] = []
    for (const one of found) crossings.push(await this.crossing(one, now))
    return crossings
  }

  /** Its steps with, at each, the value of the figure that a threshold is at, which moves it too. */
  private besides(line: Path): Map<string, Step<Moving>[]> {
    const tracks = [this.track(), line.track()]
    const values = new Map(groupsOf([must(tracks[0])]).map((grp) => [grp, begunOf(tracks, grp)[0] ?? null]))
    const steps = new Map<string, Step<Moving>[]>()
    for (const { grp, mover, values: both, n } of together(tracks)) {
      if (!values.has(grp)) continue
      const [value, at] = [both[0] ?? null, both[1] ?? null]
      const own = steps.get(grp) ?? []
      steps.set(grp, own)
      own.push({ move: { ...mover, n: this.of(grp).n || n }, before: values.get(grp) ?? null, value, line: at })
      values.set(grp, value)
    }
    return steps
  }

  private async crossing({ grp, threshold, step }: { grp: string; threshold: Threshold; step: Step<Moving> }, now: Date): Promise<NewCrossing> {
    const { before, value, move } = step
    const change = move.change === null ? null : await readBareChange(this.db, move.change)
    const { at, by, run, depth } = change ?? { at: now, by: CLOCK, run: null, depth: 0 }
    const line = Number(lineAt(threshold, step))
    return { figure: this.figure, threshold: threshold.name, line, grp, before, value, n: move.n, at, change_id: move.change, xid: move.xid, by, run, depth }
  }
}

/** More groups than a figure can have. */
const MOST_GROUPS = 20_000
