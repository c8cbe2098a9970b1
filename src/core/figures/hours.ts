import type { FigureValue } from './crossing'
import type { Followed, Point } from './history'

/** What a group had come to at the end of an hour in which it moved, and the lowest and highest of the hour. */
export interface Hour {
  readonly grp: string
  /** The hour's beginning. */
  readonly hour: Date
  readonly value: FigureValue
  readonly low: FigureValue
  readonly high: FigureValue
}

const HOUR_MS = 3_600_000
const hourOf = (at: Date) => Math.floor(at.getTime() / HOUR_MS) * HOUR_MS

const lower = (a: FigureValue, b: FigureValue) => (b === null || (a !== null && Number(a) <= Number(b)) ? a : b)
const higher = (a: FigureValue, b: FigureValue) => (b === null || (a !== null && Number(a) >= Number(b)) ? a : b)

/** The hours in which a figure's groups moved; the first says what each began with. */
export function hoursOf({ begun, steps }: Followed, from: Date): Hour[] {
  return [...begun].flatMap(([grp, first]) => {
    const hours = new Map<number, Hour>([[hourOf(from), { grp, hour: new Date(hourOf(from)), value: first, low: first, high: first }]])
    for (const { at, value } of steps.get(grp) ?? []) {
      const hour = hourOf(at)
      const own = hours.get(hour)
      hours.set(hour, { grp, hour: new Date(hour), value, low: own ? lower(own.low, value) : value, high: own ? higher(own.high, value) : value })
    }
    return [...hours.values()]
  })
}

/** Hours as points for a picture: the extremes of each within it, and its value at its end. */
export function pointsOfHours(hours: readonly Hour[]): Point[] {
  return hours.flatMap(({ hour, value, low, high }) => {
    const at = (share: number) => new Date(hour.getTime() + HOUR_MS * share)
    const extremes = [low, high].filter((v) => v !== value).map((v, i) => ({ at: at(0.25 * (i + 1)), value: v }))
    return [...extremes, { at: at(0.999), value }]
  })
}
