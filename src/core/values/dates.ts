import { TZDate, tzOffset } from '@date-fns/tz'
import { format } from 'date-fns/format'
import { must } from '../must'

/** The calendar day (`YYYY-MM-DD`) that a moment falls on in a zone. */
export function dayOf(moment: Date, zone: string): string {
  const days = daysIn(zone)
  const known = days.get(moment.getTime())
  if (known !== undefined) return known
  const day = format(new TZDate(moment, zone), 'yyyy-MM-dd')
  if (days.size >= MOST_KNOWN) days.clear()
  days.set(moment.getTime(), day)
  return day
}

/** Days that were found, by zone and moment: the same changes are looked at with many clauses, and a zone's rules are slow to go through. */
const known = new Map<string, Map<number, string>>()
const MOST_KNOWN = 40_000

function daysIn(zone: string): Map<number, string> {
  const found = known.get(zone) ?? new Map<number, string>()
  if (!known.has(zone) && known.size < 100) known.set(zone, found)
  return found
}

/** The calendar day `days` days after the one that `moment` falls on in the zone, as `YYYY-MM-DD`; whatever the zone's clocks do in between. */
export function dayFrom(moment: Date, days: number, zone: string): string {
  const day = new Date(`${dayOf(moment, zone)}T00:00:00Z`)
  day.setUTCDate(day.getUTCDate() + days)
  return day.toISOString().slice(0, 10)
}

/** The moment at which a calendar day begins in a zone. */
export function startOfDay(day: string, zone: string): Date {
  const [year, month, date] = day.split('-').map(Number)
  return new Date(new TZDate(must(year), must(month) - 1, must(date), zone).getTime())
}

/** How many minutes a zone's clock is ahead of UTC at a moment; NaN for an invalid one. */
export function minutesEastAt(moment: Date, zone: string): number {
  return tzOffset(zone, moment)
}

const DAY = /^(\d{4})-(\d{2})-(\d{2})$/

/** Whether a text is a real calendar day written `YYYY-MM-DD` (ISO 8601). */
export function isDay(text: string): boolean {
  const parts = DAY.exec(text)
  if (!parts) return false
  const date = new Date(`${text}T00:00:00Z`)
  return !Number.isNaN(date.getTime()) && date.toISOString().slice(0, 10) === text
}

const INSTANT = /^\d{4}-\d{2}-\d{2}[T ]\d{2}:\d{2}(:\d{2}(\.\d{1,6})?)?(Z|[+-]\d{2}:?\d{2})$/i

/** Whether a text is an ISO 8601 date-time with an offset. */
export function isInstant(text: string): boolean {
  return INSTANT.test(text) && isDay(text.slice(0, 10)) && !Number.isNaN(Date.parse(text))
}
