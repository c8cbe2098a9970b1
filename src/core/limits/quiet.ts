import { TZDate } from '@date-fns/tz'
import { nextTick, readCron } from '../cues/cron'
import type { Limits } from '../document/document'
import { must } from '../must'
import type { Organisation } from '../values/tables'
import { readTime } from './time-of-day'

export type QuietHours = Exclude<NonNullable<Limits['quietHours']>, 'organisation'> | NonNullable<Organisation['quietHours']>

/** Stretches of quiet hours that follow one another without a gap, at most; a week has no more. */
const MOST_STRETCHES = 8

/** When quiet hours that a moment falls into end, in an organisation's zone; null where it falls into none. A day is the one on which they begin. */
export function quietUntil(quiet: QuietHours, at: Date, zone: string): Date | null {
  const last = asked.get(quiet)
  if (last && last.at === at.getTime() && last.zone === zone) return last.until
  const until = lookedUp(quiet, at, zone)
  asked.set(quiet, { at: at.getTime(), zone, until })
  return until
}

/** What was asked last: all mail of a batch is sent at the same moment. */
const asked = new WeakMap<QuietHours, { at: number; zone: string; until: Date | null }>()

function lookedUp(quiet: QuietHours, at: Date, zone: string): Date | null {
  let end = endOf(quiet, at, zone)
  for (let i = 0; end && i < MOST_STRETCHES; i++) {
    const further = endOf(quiet, end, zone)
    if (!further) return end
    end = further
  }
  return end
}

function endOf({ from, to, days }: QuietHours, at: Date, zone: string): Date | null {
  const [begin, end] = [readTime(from), readTime(to)]
  if (begin === null || end === null) return null
  const local = new TZDate(at, zone)
  const now = local.getHours() * 60 + local.getMinutes()
  const today = local.getDay() || 7
  const yesterday = today === 1 ? 7 : today - 1
  const counts = (day: number) => !days?.length || days.includes(day)
  const overMidnight = end <= begin
  const isInside = overMidnight ? (now >= begin && counts(today)) || (now < end && counts(yesterday)) : now >= begin && now < end && counts(today)
  return isInside ? nextAt(end, at, zone) : null
}

/** The first moment after another at which a zone's clock shows a time of day. */
export function nextAt(minutes: number, after: Date, zone: string): Date {
  const read = readCron(`${minutes % 60} ${Math.floor(minutes / 60)} * * *`)
  return must('cron' in read ? nextTick(read.cron, after, zone) : null)
}
