import { TZDate } from '@date-fns/tz'

/** A length of time in parts that are added one after the other: days by the calendar, the rest by the clock. */
export interface Duration {
  readonly days: number
  readonly seconds: number
}

const ISO = /^P(?:(\d{1,5})W)?(?:(\d{1,5})D)?(?:T(?=\d)(?:(\d{1,6})H)?(?:(\d{1,7})M)?(?:(\d{1,8})S)?)?$/

/** Longest length of time that is waited for: ten years, in days. */
export const MOST_DAYS = 3_660

/** How a length of time is written that is none, in a sentence. */
const HOW = 'Write it as ISO 8601 has it, such as PT4H, P5D or P2W.'

/**
 * Reads a length of time in weeks, days, hours, minutes and seconds.
 * Source: ISO 8601-1:2019, 5.5.2 (durations); years and months are left out, since their length depends on where they begin.
 */
export function readDuration(text: string): { duration: Duration } | { problem: string } {
  const parts = ISO.exec(text)
  if (!parts || text === 'P') return { problem: `${JSON.stringify(text.slice(0, 40))} is no length of time. ${HOW}` }
  const [weeks = 0, days = 0, hours = 0, minutes = 0, seconds = 0] = parts.slice(1).map((part) => Number(part ?? 0))
  const duration = { days: weeks * 7 + days, seconds: hours * 3_600 + minutes * 60 + seconds }
  if (duration.days === 0 && duration.seconds === 0) return { problem: `${JSON.stringify(text)} is no time at all. ${HOW}` }
  if (duration.days + duration.seconds / 86_400 > MOST_DAYS) return { problem: `${JSON.stringify(text)} is longer than ten years, which is the longest that is waited for.` }
  return { duration }
}

/** The moment that is a length of time after another: whole days keep the time of day in the zone, whatever its clocks do in between. */
export function after(at: Date, { days, seconds }: Duration, zone: string): Date {
  if (days === 0) return new Date(at.getTime() + seconds * 1_000)
  const local = new TZDate(at, zone)
  local.setDate(local.getDate() + days)
  return new Date(local.getTime() + seconds * 1_000)
}

const UNITS = [
  ['week', 604_800],
  ['day', 86_400],
  ['hour', 3_600],
  ['minute', 60],
  ['second', 1],
] as const

/** A length of time in words: `P5D` is "5 days", `PT90M` "90 minutes", `P1DT12H` "1 day and 12 hours"; what is none comes back as it is. */
export function durationWords(text: string): string {
  const read = readDuration(text)
  if ('problem' in read) return text || '…'
  const { days, seconds } = read.duration
  const parts = [...(days ? [inUnits(days * 86_400, days % 7 === 0 && days >= 14 ? 0 : 1)] : []), ...(seconds ? [inUnits(seconds, 2)] : [])]
  return parts.join(' and ')
}

/** Seconds in the largest unit, from the one given on, that they are a whole number of. */
function inUnits(seconds: number, from: number): string {
  const [unit, size] = UNITS.slice(from).find(([, s]) => seconds % s === 0) ?? UNITS[4]
  const count = seconds / size
  return `${count} ${unit}${count === 1 ? '' : 's'}`
}

const TYPED_UNITS: Readonly<Record<string, Part['unit']>> = { week: 'W', day: 'D', hour: 'H', hr: 'H', h: 'H', minute: 'M', min: 'M' }
const MINUTES = { W: 10_080, D: 1_440, H: 60, M: 1 } as const
/** Small numbers by their names; one first. */
export const NUMBER_WORDS: readonly string[] = ['one', 'two', 'three', 'four', 'five', 'six', 'seven', 'eight', 'nine', 'ten', 'eleven', 'twelve']
const COUNTS: Readonly<Record<string, number>> = { a: 1, an: 1, 'half a': 0.5, 'half an': 0.5, ...Object.fromEntries(NUMBER_WORDS.map((word, i) => [word, i + 1])) }
const PART = new RegExp(String.raw`^(${Object.keys(COUNTS).join('|')}|\d{1,5}(?:\.\d{1,2})?)\s*(${Object.keys(TYPED_UNITS).join('|')})s?$`)

/** A length of time that was typed in words, in ISO 8601: "5 days" is `P5D`, "4 hours" `PT4H`, "a day" `P1D`, "1.5 hours" `PT1H30M`, "2 days and 3 hours" `P2DT3H`; null where it is none. */
export function typedDuration(text: string): string | null {
  const plain = text.trim().toLowerCase().slice(0, 100)
  if ('duration' in readDuration(plain.toUpperCase())) return plain.toUpperCase()
  const parts = plain.split(/\s*(?:,|\band\b)\s*/).map(partOf)
  const [only] = parts
  if (parts.length > 3 || parts.some((part) => part === null)) return null
  const iso =
    parts.length === 1 && only && Number.isInteger(only.count) ? `P${'HM'.includes(only.unit) ? 'T' : ''}${only.count}${only.unit}` : inMinutes(parts.flatMap((part) => part ?? []))
  return iso !== null && 'duration' in readDuration(iso) ? iso : null
}

interface Part {
  readonly count: number
  readonly unit: keyof typeof MINUTES
}

function partOf(text: string): Part | null {
  const [, count = '', name = ''] = PART.exec(text) ?? []
  const unit = TYPED_UNITS[name]
  return unit ? { count: COUNTS[count] ?? Number(count), unit } : null
}

/** Parts as days, hours and minutes; null where they are no whole minutes. Half a day is twelve hours by the clock. */
function inMinutes(parts: readonly Part[]): string | null {
  let [days, minutes] = [0, 0]
  for (const { count, unit } of parts) {
    const length = (Math.round(count * 100) * MINUTES[unit]) / 100
    const whole = unit === 'W' || unit === 'D' ? Math.floor(length / MINUTES.D) : 0
    days += whole
    minutes += length - whole * MINUTES.D
  }
  if (!Number.isInteger(minutes)) return null
  const [hours, rest] = [Math.floor(minutes / 60), minutes % 60]
  return `P${days ? `${days}D` : ''}${minutes ? 'T' : ''}${hours ? `${hours}H` : ''}${rest ? `${rest}M` : ''}`
}
