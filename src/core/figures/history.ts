import type { MeasureKind, Threshold } from '../document/figure'
import { type FigureValue, sideAfter } from './crossing'
import { additiveValue, Exact, isAdditive, type Move, Parts } from './parts'
import { along } from './path'
import type { Days } from './window'

/** What one transaction moved of a group, and when. */
export interface PastMove extends Move {
  readonly grp: string
  /** The last change of the transaction. */
  readonly change: number
  readonly at: Date
}

/** A value that a group came to; `change` is null where the calendar moved it. */
export interface PastStep {
  readonly at: Date
  readonly change: number | null
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
  const steps = new Map<string, PastStep[]>()
  let days = windows[0]?.days ?? null
  const values = new Map<string, FigureValue>()
  for (const [grp, group] of groups) {
    values.set(grp, group.value(days))
    begun.set(grp, values.get(grp) ?? null)
    steps.set(grp, [])
  }
  const step = (grp: string, at: Date, change: number | null) => {
    const before = values.get(grp) ?? null
    const value = groupOf(grp).value(days)
    if (value === before) return
    values.set(grp, value)
    steps.get(grp)?.push({ at, change, before, value, n: groupOf(grp).count(days) })
  }
  let next = 1
  const roll = (until: Date) => {
    for (let window = windows[next]; window && window.from <= until; window = windows[++next]) {
      days = window.days
      for (const grp of groups.keys()) step(grp, window.from, null)
    }
  }
  moves.forEach((move, i) => {
    roll(move.at)
    groupOf(move.grp).add(move)
    const following = moves[i + 1]
    if (following?.change !== move.change || following.grp !== move.grp) step(move.grp, move.at, move.change)
  })
  roll(new Date(8.64e15))
  return { begun, steps }
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

/** The steps at which a group would have crossed a threshold. It begins on the side that its first value is on. */
export function crossingsOf(threshold: Pick<Threshold, 'when' | 'value' | 'rearm'>, begun: FigureValue, steps: readonly PastStep[]): PastStep[] {
  return along(threshold, sideAfter(threshold, 'near', begun), steps).crossing
}

/** For each of some heights, how many alerts a threshold there would have given. */
export function alertsAt(heights: readonly number[], when: Threshold['when'], { begun, steps }: Followed): number[] {
  return heights.map((value) => [...steps].reduce((sum, [grp, own]) => sum + crossingsOf({ when, value }, begun.get(grp) ?? null, own).length, 0))
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
