import { Decimal } from 'decimal.js'
import type { MeasureKind } from '../document/figure'
import { must } from '../must'
import type { FigureValue } from './crossing'
import type { Days } from './window'

/** Sums are exact, whatever the database's numbers hold: at most 131,072 digits before the point and 16,383 behind it are never all used at once. */
export const Exact = Decimal.clone({ precision: 400, toExpNeg: -1_000, toExpPos: 1_000 })

/** What part of a group's records comes to: how many count, and their sum. */
export interface Counted {
  readonly n: number
  readonly total: Decimal
}

/** Records that came to a group and day, or left it (n below zero), as one transaction left them. `value` is JSON, `null` where values are not told apart. */
export interface Move extends Counted {
  readonly day: string
  readonly value: string
}

/** Whether a figure can be kept up from numbers of records and sums alone, without telling values apart. */
export const isAdditive = (kind: MeasureKind): boolean => kind === 'count' || kind === 'sum' || kind === 'average'

/** The value of no records at all: nothing is counted or added up to 0, and has no average, minimum or maximum. */
export const valueOfNothing = (kind: MeasureKind): FigureValue => (kind === 'count' || kind === 'sum' || kind === 'distinct' ? '0' : null)

/** Digits of an average behind the point, as PostgreSQL's division of numerics gives at least. */
const AVERAGE_DIGITS = 20

/** The value of a count, sum or average. */
export function additiveValue(kind: MeasureKind, { n, total }: Counted): FigureValue {
  if (kind === 'count') return String(n)
  if (kind === 'sum') return total.toFixed()
  return n === 0 ? null : total.dividedBy(n).toDecimalPlaces(AVERAGE_DIGITS).toFixed()
}

/** What a group is put together from, by day and value; a model of what the database keeps, for paths over the past. */
export class Parts {
  private readonly days = new Map<string, Map<string, Counted>>()

  add({ day, value, n, total }: Move): void {
    const values = this.days.get(day) ?? new Map<string, Counted>()
    this.days.set(day, values)
    const was = values.get(value)
    const now = { n: (was?.n ?? 0) + n, total: was ? was.total.plus(total) : total }
    if (now.n === 0 && now.total.isZero()) values.delete(value)
    else values.set(value, now)
  }

  /** How many records are behind the value over the days of a window. */
  count(days: Days | null): number {
    return this.inside(days).reduce((sum, [, { n }]) => sum + n, 0)
  }

  private inside(days: Days | null): [string, Counted][] {
    return [...this.days].filter(([day]) => !days || (day >= days.from && day <= days.to)).flatMap(([, values]) => [...values])
  }

  /** The group's value over the days of a window; over all, where it has none. */
  value(kind: MeasureKind, days: Days | null): FigureValue {
    const inside = this.inside(days)
    if (isAdditive(kind)) {
      let [n, total] = [0, new Exact(0)]
      for (const [, part] of inside) {
        n += part.n
        total = total.plus(part.total)
      }
      return additiveValue(kind, { n, total })
    }
    const values = new Set(inside.filter(([, { n }]) => n > 0).map(([value]) => value))
    if (kind === 'distinct') return String(values.size)
    const numbers = [...values].map((value) => new Exact(JSON.parse(value.startsWith('"') ? value : `"${value}"`)))
    if (numbers.length === 0) return null
    return must(numbers.reduce((a, b) => ((kind === 'minimum' ? b.lessThan(a) : b.greaterThan(a)) ? b : a))).toFixed()
  }
}
