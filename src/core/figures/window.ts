import { addDays } from 'date-fns/addDays'
import { addMonths } from 'date-fns/addMonths'
import { addWeeks } from 'date-fns/addWeeks'
import { addYears } from 'date-fns/addYears'
import { startOfISOWeek } from 'date-fns/startOfISOWeek'
import { startOfMonth } from 'date-fns/startOfMonth'
import { startOfQuarter } from 'date-fns/startOfQuarter'
import { startOfYear } from 'date-fns/startOfYear'
import type { Period, Window, Within } from '../document/figure'
import { dayOf } from '../values/dates'

/** The days of a window, both included, as `YYYY-MM-DD`. */
export interface Days {
  readonly from: string
  readonly to: string
}

const local = (day: string) => new Date(`${day}T12:00:00`)
const written = (at: Date) => `${String(at.getFullYear()).padStart(4, '0')}-${String(at.getMonth() + 1).padStart(2, '0')}-${String(at.getDate()).padStart(2, '0')}`

const STARTS = { 'this week': startOfISOWeek, 'this month': startOfMonth, 'this quarter': startOfQuarter, 'this year': startOfYear } as const
const LENGTHS = {
  'this week': (at: Date) => addWeeks(at, 1),
  'this month': (at: Date) => addMonths(at, 1),
  'this quarter': (at: Date) => addMonths(at, 3),
  'this year': (at: Date) => addYears(at, 1),
} as const

/** The days of a window around a day; weeks begin on Mondays. Source: ISO 8601-1:2019, 3.1.1.23 (calendar weeks). */
export function windowDays(window: Window, today: string): Days {
  if (window === 'today') return { from: today, to: today }
  if (typeof window === 'object') return { from: written(addDays(local(today), 1 - window.last)), to: today }
  const start = STARTS[window](local(today))
  return { from: written(start), to: written(addDays(LENGTHS[window](start), -1)) }
}

const SHIFT = /^P(?=\d)(?:(\d{1,3})Y)?(?:(\d{1,4})M)?(?:(\d{1,4})W)?(?:(\d{1,5})D)?$/

/** Reads how far a window is moved back: years, months, weeks and days. Source: ISO 8601-1:2019, 5.5.2 (durations). */
export function readShift(text: string): { years: number; months: number; weeks: number; days: number } | null {
  const parts = SHIFT.exec(text)
  if (!parts) return null
  const [years = 0, months = 0, weeks = 0, days = 0] = parts.slice(1).map((part) => Number(part ?? 0))
  return { years, months, weeks, days }
}

/**
 * The days that a window takes in at a moment. A week that is moved back by years is the week of the same number; where that year has no week 53, its last one
 * (ISO 8601-1:2019, 4.2.2). Any other is the window around the day that is so far back.
 */
export function daysWithin({ window, shift }: Pick<Within, 'window' | 'shift'>, at: Date, zone: string): Days {
  const today = dayOf(at, zone)
  const by = shift === undefined ? null : readShift(shift)
  if (!by) return windowDays(window, today)
  if (window === 'this week' && by.years > 0) return windowDays(window, weekBack(today, by))
  const day = local(windowDays(window, today).from)
  const back = (from: Date) => addDays(addWeeks(addMonths(addYears(from, -by.years), -by.months), -by.weeks), -by.days)
  if (typeof window === 'string' && window !== 'today' && window !== 'this week') return windowDays(window, written(back(day)))
  const days = windowDays(window, today)
  return { from: written(back(local(days.from))), to: written(back(local(days.to))) }
}

/** A day of the week with the same number so many years before, and then months, weeks and days further back. */
function weekBack(today: string, by: { years: number; months: number; weeks: number; days: number }): string {
  const { year, week } = isoWeek(today)
  const wanted = Math.min(week, weeksIn(year - by.years))
  const first = startOfISOWeek(new Date(year - by.years, 0, 4, 12))
  return written(addDays(addWeeks(addMonths(addWeeks(first, wanted - 1), -by.months), -by.weeks), -by.days))
}

/** The week of a day, and the year that it counts to. Source: ISO 8601-1:2019, 4.2.2: week 1 has the year's first Thursday. */
export function isoWeek(day: string): { year: number; week: number } {
  const thursday = addDays(startOfISOWeek(local(day)), 3)
  const year = thursday.getFullYear()
  const first = startOfISOWeek(new Date(year, 0, 4, 12))
  return { year, week: Math.round((startOfISOWeek(local(day)).getTime() - first.getTime()) / 604_800_000) + 1 }
}

const weeksIn = (year: number) => isoWeek(`${year}-12-28`).week

/** The last day of the week, month or quarter that a day falls in. */
export const periodEnd = (day: string, each: Exclude<Period, 'day'>): string => windowDays(`this ${each}`, day).to
