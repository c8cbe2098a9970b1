import type { MeasureKind, Threshold } from '../document/figure'
import { beyond, type FigureValue, type Line, sideAfter } from './crossing'
import { additiveValue, Exact, isAdditive, type Move, Parts } from './parts'
import { along, lineAt } from './path'
import { begunOf, countOf, groupsOf, type Mover, type Track, together } from './together'
import type { Days } from './window'

/** What one transaction moved of a group, and when. */
export interface PastMove extends Move {
  readonly grp: string
  /** The last change of the transaction. */
  readonly change: number
  readonly xid: string
  readonly at: Date
}

/** A value that a group came to; `change` is null where the calendar moved it. */
export interface PastStep {
  readonly at: Date
  readonly change: number | null
  /** What tells its move from those of other transactions, and its place among them. */
  readonly mover: Mover
  /** The value of the figure that a threshold is at, where it is at another figure's. */
  readonly line?: Line
  readonly before: FigureValue
  readonly value: FigureValue
  /** How many records are behind the value. */
  readonly n: number
}

/** What a figure is followed with: what it is put together from now, what moved it since, in order, and the days that its window took in from when on. */
export interface Past {
  readonly kind: MeasureKind
  readonly now: readonly (Move & { readonly grp: string })[]
  readonly moves: readonly PastMove[]
  /** In order; none where there is no window. The first is that of the beginning. */
  readonly windows: readonly { readonly from: Date; readonly days: Days }[]
}

/** The values of every group over a span, step by step, and what each began with. */
export interface Followed {
  readonly begun: ReadonlyMap<string, FigureValue>
  /** How many records were behind what each group began with. */
  readonly counts: ReadonlyMap<string, number>
  readonly steps: ReadonlyMap<string, readonly PastStep[]>
}

/** Works out what a figure's groups went through: from what they are put together from now, back by what moved them, and forward again. */
export function follow({ kind, now, moves, windows }: Past): Followed {
  const groups = new Map<string, Group>()
  const groupOf = (grp: string) => {
    const known = groups.get(grp) ?? (isAdditive(kind) && windows.length === 0 ? new Running(kind) : new Told(kind))
    groups.set(grp, known)
    return known
  }
  for (const part of now) groupOf(part.grp).add(part)
  for (const move of moves) groupOf(move.grp).add({ ...move, n: -move.n, total: move.total.negated() })
  const begun = new Map<string, FigureValue>()
  const counts = new Map<string, number>()
  const steps = new Map<string, PastStep[]>()
  let days = windows[0]?.days ?? null
  const values = new Map<string, FigureValue>()
  for (const [grp, group] of groups) {
    values.set(grp, group.value(days))
    begun.set(grp, values.get(grp) ?? null)
    counts.set(grp, group.count(days))
    steps.set(grp, [])
  }
  let reached = Number.NEGATIVE_INFINITY
  const step = (grp: string, at: Date, change: number | null, xid: string | null) => {
    const before = values.get(grp) ?? null
    const value = groupOf(grp).value(days)
    reached = Math.max(reached, at.getTime())
    if (value === before) return
    values.set(grp, value)
    steps.get(grp)?.push({ at, change, mover: { at: reached, change, xid }, before, value, n: groupOf(grp).count(days) })
  }
  let next = 1
  const roll = (until: Date) => {
    for (let window = windows[next]; window && window.from <= until; window = windows[++next]) {
      days = window.days
      for (const grp of groups.keys()) step(grp, window.from, null, null)
    }
  }
  moves.forEach((move, i) => {
    roll(move.at)
    groupOf(move.grp).add(move)
    const following = moves[i + 1]
    if (following?.change !== move.change || following.grp !== move.grp) step(move.grp, move.at, move.change, move.xid)
  })
  roll(new Date(8.64e15))
  return { begun, counts, steps }
}

/** What a group is put together from. */
interface Group {
  add(move: Move): void
  value(days: Days | null): FigureValue
  count(days: Days | null): number
}

class Told implements Group {
  private readonly parts = new Parts()

  constructor(private readonly kind: MeasureKind) {}

  add(move: Move): void {
    this.parts.add(move)
  }

  value(days: Days | null): FigureValue {
    return this.parts.value(this.kind, days)
  }

  count(days: Days | null): number {
    return this.parts.count(days)
  }
}

/** Numbers of records and sums alone. */
class Running implements Group {
  private n = 0
  private total = new Exact(0)

  constructor(private readonly kind: MeasureKind) {}

  add({ n, total }: Move): void {
    this.n += n
    if (this.kind !== 'count') this.total = this.total.plus(total)
  }

  value(): FigureValue {
    return additiveValue(this.kind, { n: this.n, total: this.total })
  }

  count(): number {
    return this.n
  }
}

/** What a figure went through, as others are followed side by side with it. */
export type PastTrack = Pick<Track, 'isGrouped' | 'nothing'> & Followed

export const trackOf = ({ begun, counts, steps }: Followed, isGrouped: boolean, nothing: FigureValue): PastTrack => ({ isGrouped, begun, counts, steps, nothing })

/** The values of a figure that is worked out from others, step by step, from what those went through. */
export function followTogether(tracks: readonly Track[], work: (values: readonly FigureValue[]) => FigureValue): Followed {
  const begun = new Map(groupsOf(tracks).map((grp) => [grp, work(begunOf(tracks, grp))]))
  const values = new Map(begun)
  const steps = new Map([...begun.keys()].map((grp): [string, PastStep[]] => [grp, []]))
  for (const { grp, mover, values: parts, n } of together(tracks)) {
    const [before, value] = [values.get(grp) ?? null, work(parts)]
    if (value === before) continue
    values.set(grp, value)
    steps.get(grp)?.push({ at: new Date(mover.at), change: mover.change, mover, before, value, n })
  }
  return { begun, counts: new Map([...begun.keys()].map((grp) => [grp, countOf(tracks, grp)])), steps }
}

/** The path of a figure with, at each step, the value of another that is a line for it. */
export function withLine(own: Track, line: Track): { begun: ReadonlyMap<string, { value: FigureValue; line: Line }>; steps: ReadonlyMap<string, readonly PastStep[]> } {
  const tracks = [own, line]
  const begun = new Map(groupsOf([own]).map((grp) => [grp, { value: own.begun.get(grp) ?? null, line: begunOf(tracks, grp)[1] ?? null }]))
  const steps = new Map([...begun.keys()].map((grp): [string, PastStep[]] => [grp, []]))
  const values = new Map([...begun].map(([grp, { value }]) => [grp, value]))
  for (const {
    grp,
    mover,
    values: [value = null, at = null],
    n,
  } of together(tracks)) {
    steps.get(grp)?.push({ at: new Date(mover.at), change: mover.change, mover, before: values.get(grp) ?? null, value, line: at, n })
    values.set(grp, value)
  }
  return { begun, steps }
}

/** The steps at which a group would have crossed a threshold. It begins on the side that its first value is on. */
export function crossingsOf(threshold: Threshold, begun: { readonly value: FigureValue; readonly line?: Line }, steps: readonly PastStep[]): PastStep[] {
  return along(threshold, sideAfter(threshold, lineAt(threshold, begun), 'near', begun.value), steps).crossing
}

/**
 * For each of some heights, in ascending order, how many alerts a threshold there would have given. A group that goes from one value to another crosses every height between them, so that one walk
 * along its steps tells all of them.
 */
export function alertsAt(heights: readonly number[], when: Threshold['when'], { begun, steps }: Followed): number[] {
  /** Of each height more than of the one before it. */
  const entered = new Int32Array(heights.length + 1)
  const isUp = when === 'above' || when === 'at least'
  /** How many heights, from the side that values come from, a value is beyond. */
  const reach = (value: FigureValue): number => {
    if (value === null) return 0
    const isOver = (i: number) => beyond({ when }, heights[isUp ? i : heights.length - 1 - i] ?? null, value)
    let [low, high] = [0, heights.length]
    while (low < high) {
      const middle = (low + high) >> 1
      if (isOver(middle)) low = middle + 1
      else high = middle
    }
    return low
  }
  for (const [grp, own] of steps) {
    let was = reach(begun.get(grp) ?? null)
    for (const { value } of own) {
      const is = reach(value)
      if (is > was) {
        entered[was] = (entered[was] ?? 0) + 1
        entered[is] = (entered[is] ?? 0) - 1
      }
      was = is
    }
  }
  for (let i = 1; i < entered.length; i++) entered[i] = (entered[i] ?? 0) + (entered[i - 1] ?? 0)
  return heights.map((_, i) => entered[isUp ? i : heights.length - 1 - i] ?? 0)
}

/** Heights over the range of values that a figure went through, at least 50 of them; whole numbers where all values are. */
export function heightsOf({ begun, steps }: Followed, count = 60): number[] {
  const values = [...begun.values(), ...[...steps.values()].flatMap((own) => own.map((s) => s.value))].filter((v) => v !== null).map(Number)
  if (values.length === 0) return []
  const [low, high] = values.reduce(([l, h], v) => [Math.min(l, v), Math.max(h, v)], [Number.POSITIVE_INFINITY, Number.NEGATIVE_INFINITY])
  const pad = (high - low || Math.abs(high) || 1) * 0.05
  if (values.every(Number.isInteger) && high - low < count) {
    const from = Math.floor(low - Math.max(1, (count - (high - low)) / 2))
    return Array.from({ length: count }, (_, i) => from + i)
  }
  const at = (i: number) => low - pad + ((high - low + 2 * pad) * i) / (count - 1)
  return Array.from({ length: count }, (_, i) => Number(at(i).toPrecision(6)))
}

/** A value at a moment, for a picture. */
export interface Point {
  readonly at: Date
  readonly value: FigureValue
}

/** What a picture needs of a group's steps: of each of so many stretches of a span the first, the last and the extremes. */
export function thinned(begun: FigureValue, steps: readonly PastStep[], { from, to }: { from: Date; to: Date }, stretches: number): Point[] {
  const size = (to.getTime() - from.getTime()) / stretches || 1
  const kept = new Map<number, { first: PastStep; last: PastStep; low: PastStep; high: PastStep }>()
  for (const step of steps) {
    const place = Math.floor((step.at.getTime() - from.getTime()) / size)
    const own = kept.get(place)
    if (!own) kept.set(place, { first: step, last: step, low: step, high: step })
    else {
      own.last = step
      if (step.value !== null && (own.low.value === null || Number(step.value) < Number(own.low.value))) own.low = step
      if (step.value !== null && (own.high.value === null || Number(step.value) > Number(own.high.value))) own.high = step
    }
  }
  const points = [...kept.values()].flatMap(({ first, last, low, high }) => [...new Set([first, low, high, last])].sort((a, b) => a.at.getTime() - b.at.getTime()))
  return [{ at: from, value: begun }, ...points.map(({ at, value }) => ({ at, value }))]
}

/** The crossings of a threshold that every group of a figure would have made. */
export function allCrossings(threshold: Threshold, own: PastTrack, lines: ReadonlyMap<string, Track>): { readonly grp: string; readonly step: PastStep }[] {
  const { value } = threshold
  const line = typeof value === 'number' ? undefined : lines.get(value.figure)
  if (typeof value !== 'number' && !line) return []
  const path = line ? withLine(own, line) : null
  return [...own.steps].flatMap(([grp, steps]) => {
    const crossing = path
      ? crossingsOf(threshold, path.begun.get(grp) ?? { value: null }, path.steps.get(grp) ?? [])
      : crossingsOf(threshold, { value: own.begun.get(grp) ?? null }, steps)
    return crossing.map((step) => ({ grp, step }))
  })
}
