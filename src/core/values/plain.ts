import { TZDate } from '@date-fns/tz'
import { parse } from 'date-fns/parse'
import { isDay, isInstant } from './dates'

/** How numbers and dates are written: the sign before decimals, and the order of day, month and year. */
export interface Ways {
  readonly decimal: '.' | ','
  readonly dates: 'ymd' | 'dmy' | 'mdy'
}

const WAYS = new Map<string, Ways>()

/** The ways of a language (BCP 47), which decide where a file does not. */
export function waysOf(locale: string): Ways {
  const known = WAYS.get(locale)
  if (known) return known
  const decimal = new Intl.NumberFormat(locale).formatToParts(1.5).find((p) => p.type === 'decimal')?.value
  const order = new Intl.DateTimeFormat(locale)
    .formatToParts(0)
    .map((p) => p.type.charAt(0))
    .filter((c) => 'ymd'.includes(c))
    .join('')
  const ways: Ways = { decimal: decimal === ',' ? ',' : '.', dates: order === 'mdy' || order === 'ymd' ? order : 'dmy' }
  WAYS.set(locale, ways)
  return ways
}

/** A number's text in the way that the database writes it, or null where it is none: signs of currencies, spaces and what sets thousands apart are left out. */
export function plainNumber(text: string, decimal: Ways['decimal']): string | null {
  const bare = text
    .replaceAll(/[\p{Sc}\s\u00a0\u202f'’]/gu, '')
    .replace(/^([A-Z]{3})(?=[-+(\d.,])|(?<=[\d)])([A-Z]{3})$/u, '')
    .replace('\u2212', '-')
  const inBrackets = /^\((.*)\)$/.exec(bare)?.[1] // bookkeepers write a loss so
  const signed = inBrackets === undefined ? bare.replace(/^(.*\d)-$/, '-$1') : `-${inBrackets}`
  const group = decimal === '.' ? ',' : '.'
  const whole = decimal === '.' ? /^[+-]?(\d{1,3}(,\d{2,3})+|\d*)(\.\d+)?$/ : /^[+-]?(\d{1,3}(\.\d{2,3})+|\d*)(,\d+)?$/
  if (!/\d/.test(signed) || !whole.test(signed)) return null
  return signed.replaceAll(group, '').replace(decimal, '.').replace(/^\+/, '')
}

const ORDERS = {
  ymd: ['y-M-d', 'y/M/d', 'y.M.d'],
  dmy: ['d/M/y', 'd.M.y', 'd-M-y', 'd/M/yy', 'd.M.yy', 'd-M-yy'],
  mdy: ['M/d/y', 'M-d-y', 'M.d.y', 'M/d/yy', 'M-d-yy', 'M.d.yy'],
} as const
const WORDED = ['d MMMM y', 'd MMM y', 'MMMM d, y', 'MMM d, y', 'd-MMM-y', 'd-MMM-yy'] as const
/** A time of day at the end of a text. */
export const CLOCK = /[T ,]+(\d{1,2}):(\d{2})(?::(\d{2})(?:\.\d+)?)?\s*(am|pm)?$/i

/** The calendar day that a text means, `YYYY-MM-DD`, or null. */
export function plainDay(text: string, order: Ways['dates']): string | null {
  const trimmed = text.trim()
  if (isDay(trimmed)) return trimmed
  for (const pattern of [...ORDERS.ymd, ...(order === 'ymd' ? [] : ORDERS[order]), ...WORDED]) {
    const day = parse(trimmed, pattern, new Date(2000, 0, 1))
    // four digits are a year as they stand; of two, date-fns takes the nearest century
    if (!Number.isNaN(day.getTime()) && (pattern.endsWith('yy') || day.getFullYear() > 999)) return isoDay(day)
  }
  return null
}

const pad = (n: number, length = 2) => String(n).padStart(length, '0')
const isoDay = (day: Date) => `${pad(day.getFullYear(), 4)}-${pad(day.getMonth() + 1)}-${pad(day.getDate())}`

/** The moment that a text means in a zone, ISO 8601, or null: with an offset as it stands, else on the zone's clock. */
export function plainInstant(text: string, order: Ways['dates'], zone: string): string | null {
  const trimmed = text.trim()
  if (isInstant(trimmed)) return new Date(trimmed).toISOString()
  const clock = CLOCK.exec(trimmed)
  const day = plainDay(clock ? trimmed.slice(0, clock.index) : trimmed, order)
  if (day === null) return null
  const [, hours = '0', minutes = '0', seconds = '0', half = ''] = clock ?? []
  const hour = half === '' ? Number(hours) : (Number(hours) % 12) + (half.toLowerCase() === 'pm' ? 12 : 0)
  if (hour > 24 || Number(minutes) > 59 || Number(seconds) > 59) return null
  const [year = 0, month = 1, date = 1] = day.split('-').map(Number)
  return new Date(new TZDate(year, month - 1, date, hour, Number(minutes), Number(seconds), zone).getTime()).toISOString()
}

/** A calendar day as it is typed: `31/12/2026` where days come first. What is no day stays as it is. */
export function typedDay(day: string, order: Ways['dates']): string {
  const [year, month, date] = day.split('-')
  if (!isDay(day)) return day
  return order === 'ymd' ? day : order === 'dmy' ? `${date}/${month}/${year}` : `${month}/${date}/${year}`
}

/** A moment as it is typed, on the clock of a zone: `31/12/2026 14:30`; what is no moment stays as it is. */
export function typedInstant(moment: string, order: Ways['dates'], zone: string): string {
  if (!isInstant(moment)) return moment
  const at = new TZDate(new Date(moment).getTime(), zone)
  return `${typedDay(isoDay(at), order)} ${pad(at.getHours())}:${pad(at.getMinutes())}`
}
