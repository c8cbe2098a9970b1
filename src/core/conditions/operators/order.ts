import { compareOrdered, isBlank, isOrdered } from '../../values/compare'
import { dayFrom } from '../../values/dates'
import type { Stored } from '../../values/tables'
import type { Operator, Reading, Span } from '../clause'
import { oneOf, spanOf } from '../clause'

/** Whether both sides are filled and their order (negative, zero, positive) is one that counts. */
function ordered(r: Reading, side: Stored | undefined, counts: (order: number) => boolean): boolean {
  return !isBlank(r.now) && !isBlank(side) && counts(compareOrdered(r.type, r.now, side))
}

function orderOperator(words: string, sign: string, counts: (order: number) => boolean): Operator {
  return {
    on: isOrdered,
    operand: 'one',
    change: false,
    test: (r) => ordered(r, oneOf(r), counts),
    words: (v) => `is ${words} ${v}`,
    sql: (r) => `coalesce(${r.field} ${sign} ${r.value}, false)`,
  }
}

/** A span in milliseconds; days only for date-times, where a day is 24 hours. */
function milliseconds(span: Span): number {
  if ('minutes' in span) return span.minutes * 60_000
  return 'hours' in span ? span.hours * 3_600_000 : span.days * 86_400_000
}

/** Whole days in a span; a date knows no hours, so a part of a day counts as the day it ends in. */
export function wholeDays(span: Span): number {
  return 'days' in span ? span.days : Math.ceil(milliseconds(span) / 86_400_000)
}

function within(r: Reading, direction: 1 | -1): boolean {
  if (isBlank(r.now) || isBlank(r.value)) return false
  const span = spanOf(r)
  if (r.type === 'date') {
    const today = dayFrom(r.at, 0, r.organisation.zone)
    const edge = dayFrom(r.at, direction * wholeDays(span), r.organisation.zone)
    const day = String(r.now)
    return direction === 1 ? day >= today && day <= edge : day <= today && day >= edge
  }
  const distance = (Date.parse(String(r.now)) - r.at.getTime()) * direction
  return distance >= 0 && distance <= milliseconds(span)
}

function sqlWithin(direction: '+' | '-'): Operator['sql'] {
  return (r) => {
    const isDate = r.type === 'date'
    const start = isDate ? `(${r.moment} at time zone ${r.zone})::date` : r.moment
    const far = `${start} ${direction} ${isDate ? r.days : r.span}`
    const [low, high] = direction === '+' ? [start, far] : [far, start]
    return `coalesce(${r.field} between ${low} and ${high}, false)`
  }
}

const isMoment: Operator['on'] = (type) => type === 'date' || type === 'date-time'

export const order = {
  'less than': orderOperator('less than', '<', (o) => o < 0),
  'at most': orderOperator('at most', '<=', (o) => o <= 0),
  'more than': orderOperator('more than', '>', (o) => o > 0),
  'at least': orderOperator('at least', '>=', (o) => o >= 0),
  between: {
    on: isOrdered,
    operand: 'two',
    change: false,
    test: (r) => ordered(r, oneOf(r), (o) => o >= 0) && ordered(r, r.to, (o) => o <= 0),
    words: (v, to) => `is between ${v} and ${to}`,
    sql: (r) => `coalesce(${r.field} between ${r.value} and ${r.to}, false)`,
  },
  'within last': {
    on: isMoment,
    operand: 'span',
    change: false,
    test: (r) => within(r, -1),
    words: (v) => `is within the last ${v}`,
    sql: sqlWithin('-'),
  },
  'within next': {
    on: isMoment,
    operand: 'span',
    change: false,
    test: (r) => within(r, 1),
    words: (v) => `is within the next ${v}`,
    sql: sqlWithin('+'),
  },
} as const satisfies Record<string, Operator>
