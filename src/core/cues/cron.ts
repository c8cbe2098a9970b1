import { must } from '../must'
import { minutesEastAt } from '../values/dates'

/** When a timetable comes, as POSIX crontab's five fields have it: the minutes, hours, days and months that it comes in. */
export interface Cron {
  readonly minutes: readonly number[]
  readonly hours: readonly number[]
  /** Days of the month and of the week (0 is Sunday); null where they are not restricted. Where both are, a day that is in either counts. */
  readonly days: ReadonlySet<number> | null
  readonly months: ReadonlySet<number>
  readonly weekdays: ReadonlySet<number> | null
}

/** What is wrong with a timetable: in which of its fields, and how to mend it. */
export interface CronProblem {
  readonly field: string
  readonly message: string
}

interface FieldShape {
  readonly name: string
  readonly from: number
  readonly to: number
  readonly names?: readonly string[]
}

/** Names that stand for months, from 1, and for days of the week, from 0. */
export const MONTH_NAMES = ['jan', 'feb', 'mar', 'apr', 'may', 'jun', 'jul', 'aug', 'sep', 'oct', 'nov', 'dec']
export const WEEKDAY_NAMES = ['sun', 'mon', 'tue', 'wed', 'thu', 'fri', 'sat']

const FIELDS: readonly FieldShape[] = [
  { name: 'minute', from: 0, to: 59 },
  { name: 'hour', from: 0, to: 23 },
  { name: 'day of the month', from: 1, to: 31 },
  { name: 'month', from: 1, to: 12, names: MONTH_NAMES },
  { name: 'day of the week', from: 0, to: 7, names: WEEKDAY_NAMES },
]

/** Most characters of a timetable. */
const MOST_CHARACTERS = 200

/** Most days that each month can have, by its number. */
const LONGEST = [0, 31, 29, 31, 30, 31, 30, 31, 31, 30, 31, 30, 31]

/**
 * Reads a timetable of five fields: minute, hour, day of the month, month, day of the week; each a `*`, a number, a range, or a list of these, with names of months and days.
 * Steps (every fifteenth minute) and 7 for Sunday are common practice.
 * Source: POSIX.1-2017, crontab, "Input files".
 */
export function readCron(text: string): { cron: Cron } | { problem: CronProblem } {
  const wrong = (field: string, message: string) => ({ problem: { field, message } })
  if (text.length > MOST_CHARACTERS) return wrong('', `A timetable has at most ${MOST_CHARACTERS} characters.`)
  const parts = text.trim().split(/\s+/).filter(Boolean)
  if (parts.length !== 5)
    return wrong('', `A timetable has five fields: minute, hour, day of the month, month, day of the week. ${JSON.stringify(text.trim())} has ${parts.length || 'none'}.`)
  const sets: (number[] | null)[] = []
  for (const [i, shape] of FIELDS.entries()) {
    const read = readField(must(parts[i]), shape)
    if (typeof read === 'string') return wrong(shape.name, read)
    sets.push(read)
  }
  const [minutes, hours, days, months, weekdays] = sets
  const every = ({ from, to }: FieldShape) => Array.from({ length: to - from + 1 }, (_, i) => from + i)
  const cron: Cron = {
    minutes: minutes ?? every(must(FIELDS[0])),
    hours: hours ?? every(must(FIELDS[1])),
    days: days ? new Set(days) : null,
    months: new Set(months ?? every(must(FIELDS[3]))),
    weekdays: weekdays ? new Set(weekdays.map((d) => d % 7)) : null,
  }
  const comes = cron.weekdays || !cron.days || [...cron.months].some((month) => [...must(cron.days)].some((day) => day <= must(LONGEST[month])))
  if (!comes)
    return wrong('day of the month', `It never comes: ${monthsWords(cron.months)} ${cron.months.size === 1 ? 'has' : 'have'} no day ${[...must(cron.days)].join(' or ')}.`)
  return { cron }
}

/** The numbers that a field names, in order; null where it names all without a step, a sentence where it names none. */
function readField(text: string, shape: FieldShape): number[] | null | string {
  if (text === '*') return null
  const found = new Set<number>()
  for (const item of text.split(',')) {
    const read = readItem(item, shape)
    if (typeof read === 'string') return read
    for (const n of read) found.add(n)
  }
  return [...found].sort((a, b) => a - b)
}

function readItem(item: string, shape: FieldShape): number[] | string {
  const { name, from, to } = shape
  const parts = /^(\*|\w+)(?:-(\w+))?(?:\/(\d+))?$/.exec(item)
  const says = `In the field ${name}, ${JSON.stringify(item)}`
  if (!parts || (parts[1] === '*' && parts[2] !== undefined))
    return `${says} cannot be read. Write a number from ${from} to ${to}, a range (${from}-${Math.min(to, from + 4)}), a list, or *.`
  const number = (word: string) =>
    /^\d+$/.test(word) ? Number(word) : shape.names?.includes(word.toLowerCase()) ? shape.names.indexOf(word.toLowerCase()) + (from === 1 ? 1 : 0) : Number.NaN
  const step = parts[3] === undefined ? 1 : Number(parts[3])
  const first = parts[1] === '*' ? from : number(must(parts[1]))
  const last = parts[1] === '*' ? (name === 'day of the week' ? 6 : to) : parts[2] !== undefined ? number(parts[2]) : parts[3] !== undefined ? to : first
  if (Number.isNaN(first) || Number.isNaN(last))
    return `${says} names no ${name}. Write a number from ${from} to ${to}${shape.names ? `, or a name such as ${shape.names[1]}` : ''}.`
  if (first < from || first > to || last > to) return `${says} is out of reach: the ${name} goes from ${from} to ${to}.`
  if (last < first) return `${says} runs backwards. Write the smaller number first, or two ranges with a comma between.`
  if (step < 1 || step > to) return `${says} has a step of ${step}; a step goes from 1 to ${to}.`
  return Array.from({ length: Math.floor((last - first) / step) + 1 }, (_, i) => first + i * step)
}

const MINUTE = 60_000
const HOUR = 60 * MINUTE
const DAY = 24 * HOUR

/** How far back a zone's clocks are looked at for times that its changes move; no zone moves its clocks further at once but over whole days. */
const LOOK_BACK = 3 * HOUR

/** How far ahead a timetable is looked for: from one 29 February to the next it may be eight years. */
const LOOK_AHEAD = 9 * 366 * DAY

/**
 * The first moment after another that a timetable comes at, by a zone's clock: a local time that does not exist counts as the next that does, one that comes twice
 * counts once, at its first. Null where it does not come within nine years.
 */
export function nextTick(cron: Cron, after: Date, zone: string): Date | null {
  return ticksAfter(cron, after, zone).next().value ?? null
}

/** The moments after one that a timetable comes at, one after the other; none where it does not come again within years. */
function* ticksAfter(cron: Cron, after: Date, zone: string): Generator<Date, undefined> {
  let last = after.getTime()
  let start = wallOf(after, zone) - LOOK_BACK
  for (let day = Math.floor(start / DAY) * DAY; day < start + LOOK_AHEAD; day += DAY) {
    if (!isOn(cron, new Date(day))) continue
    for (const hour of cron.hours) {
      if (day + (hour + 1) * HOUR <= start) continue
      for (const minute of cron.minutes) {
        const at = momentOf(day + hour * HOUR + minute * MINUTE, zone)
        if (at <= last) continue
        last = at
        start = Math.max(start, day)
        yield new Date(at)
      }
    }
  }
}

/** The moments after one and up to another that a timetable comes at, at most `most`, the first ones. */
export function ticksBetween(cron: Cron, after: Date, until: Date, zone: string, most = Number.POSITIVE_INFINITY): Date[] {
  const ticks: Date[] = []
  for (const at of ticksAfter(cron, after, zone)) {
    if (at > until || ticks.length >= most) break
    ticks.push(at)
  }
  return ticks
}

/** The last moment up to another that a timetable came at, looked for from `since` on; null where it did not. */
export function lastTick(cron: Cron, since: Date, until: Date, zone: string): Date | null {
  for (let span = HOUR; ; span *= 8) {
    const from = new Date(Math.max(since.getTime(), until.getTime() - span))
    const found = ticksBetween(cron, from, until, zone).at(-1)
    if (found || from.getTime() === since.getTime()) return found ?? null
  }
}

function isOn({ days, months, weekdays }: Cron, day: Date): boolean {
  if (!months.has(day.getUTCMonth() + 1)) return false
  const [byMonth, byWeek] = [days?.has(day.getUTCDate()), weekdays?.has(day.getUTCDay())]
  return byMonth === undefined || byWeek === undefined ? (byMonth ?? byWeek ?? true) : byMonth || byWeek
}

/** What a zone's clock shows at a moment, as if it were UTC, in milliseconds. */
const wallOf = (at: Date, zone: string) => at.getTime() + eastAt(at.getTime(), zone)

const eastAt = (at: number, zone: string) => minutesEastAt(new Date(at), zone) * MINUTE

/** The moment at which a zone's clock shows a time: the first of two, and where it shows it never, the moment at which it passes it over. */
function momentOf(wall: number, zone: string): number {
  const [before, later] = [wall - eastAt(wall - DAY, zone), wall - eastAt(wall + DAY, zone)]
  const shows = (at: number) => at + eastAt(at, zone) === wall
  if (before === later) return shows(before) ? before : nearby(wall, zone)
  const found = [before, later].sort((a, b) => a - b).find(shows)
  return found ?? passedOver(wall, zone)
}

/** The same where the clocks moved there and back within a day. */
function nearby(wall: number, zone: string): number {
  const offsets = new Set([-20, -12, -6, -3, -1, 0, 1, 3, 6, 12, 20].map((hours) => eastAt(wall + hours * HOUR, zone)))
  const found = [...offsets].map((east) => wall - east).sort((a, b) => a - b)
  return found.find((at) => at + eastAt(at, zone) === wall) ?? passedOver(wall, zone)
}

/** The first moment at which a zone's clock shows more than a time that it never shows. */
function passedOver(wall: number, zone: string): number {
  let [low, high] = [wall - 2 * DAY, wall + 2 * DAY]
  while (high - low > MINUTE) {
    const middle = Math.floor((low + high) / 2 / MINUTE) * MINUTE
    if (middle + eastAt(middle, zone) > wall) high = middle
    else low = middle
  }
  return high
}

const MONTHS = ['', 'January', 'February', 'March', 'April', 'May', 'June', 'July', 'August', 'September', 'October', 'November', 'December']
const WEEKDAYS = ['Sunday', 'Monday', 'Tuesday', 'Wednesday', 'Thursday', 'Friday', 'Saturday']

const monthsWords = (months: ReadonlySet<number>) => listed([...months].map((m) => must(MONTHS[m])))

/** A list in words: "Monday, Tuesday and Friday". */
function listed(words: readonly string[], joiner = 'and'): string {
  return words.length < 2 ? words.join('') : `${words.slice(0, -1).join(', ')} ${joiner} ${words.at(-1)}`
}

const two = (n: number) => String(n).padStart(2, '0')

/** A timetable in words, such as "on working days at 07:00" or "every 15 minutes"; what cannot be read comes back as it is. */
export function cronWords(text: string): string {
  const read = readCron(text)
  if ('problem' in read) return text || '…'
  return `${dayWords(read.cron)} ${timeWords(read.cron, text.trim().split(/\s+/))}`.trim()
}

function timeWords({ minutes, hours }: Cron, [minute = '', hour = '']: readonly string[]): string {
  if (hours.length * minutes.length <= 6) return `at ${listed(hours.flatMap((h) => minutes.map((m) => `${two(h)}:${two(m)}`)))}`
  const every = /^\*\/(\d+)$/.exec(minute)
  const often =
    minutes.length === 60
      ? 'every minute'
      : every
        ? `every ${every[1]} minutes`
        : minutes.length === 1 && minutes[0] === 0
          ? 'every hour'
          : `at ${listed(minutes.map((m) => `minute ${m}`))} of every hour`
  if (hours.length === 24) return often
  const step = /^\*\/(\d+)$/.exec(hour)
  if (step) return minutes.length === 1 ? `every ${step[1]} hours, at minute ${minutes[0]}` : `${often} of every ${step[1]}. hour`
  const isRange = hours.every((h, i) => i === 0 || h === must(hours[i - 1]) + 1)
  return isRange ? `${often} from ${two(must(hours[0]))}:00 to ${two(must(hours.at(-1)))}:59` : `${often} in the hours ${listed(hours.map(String))}`
}

function dayWords({ days, months, weekdays }: Cron): string {
  const inMonths = months.size === 12 ? '' : ` in ${monthsWords(months)}`
  const byWeek = weekdays && weekWords([...weekdays].sort((a, b) => ((a + 6) % 7) - ((b + 6) % 7)))
  const byMonth = days && `the ${listed([...days].map(ordinal), 'and')}`
  const named = [byMonth && `on ${byMonth}${months.size === 12 ? ' of each month' : ''}`, byWeek].filter(Boolean).join(' or ')
  return `${named || 'every day'}${inMonths}`
}

function weekWords(weekdays: readonly number[]): string {
  const key = weekdays.join('')
  if (key === '12345') return 'on working days'
  if (key === '60') return 'on Saturdays and Sundays'
  return weekdays.length === 7 ? '' : `each ${listed(weekdays.map((d) => must(WEEKDAYS[d])))}`
}

function ordinal(n: number): string {
  const last = n % 10
  const ending = n > 10 && n < 14 ? 'th' : (['th', 'st', 'nd', 'rd'][last] ?? 'th')
  return `${n}${ending}`
}
