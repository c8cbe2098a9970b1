import type { Limits } from '../document/document'
import { dayFrom, dayOf, startOfDay } from '../values/dates'
import { readDuration } from '../values/duration'
import { nextAt } from './quiet'
import { readTime } from './time-of-day'

export type Digest = ({ every: string } | { at: string[] }) & Pick<NonNullable<Limits['digest']>, 'columns'>

/** The shortest and longest time between digests that come every so often, in minutes. */
export const SHORTEST = 5
export const LONGEST = 1_440

/** How many minutes lie between digests that come every so often; null where that is no such length of time. */
export function everyMinutes(every: string): number | null {
  const read = readDuration(every)
  if ('problem' in read) return null
  const minutes = read.duration.days * 1_440 + read.duration.seconds / 60
  return Number.isInteger(minutes) && minutes >= SHORTEST && minutes <= LONGEST ? minutes : null
}

/** The moment of the digest that what happens at a moment is gathered for: the first of its times after it, or the next whole so many minutes of the day. */
export function digestMoment(digest: Digest, at: Date, zone: string): Date | null {
  if ('at' in digest) {
    const times = digest.at.map(readTime).filter((t) => t !== null)
    const moments = times.map((t) => nextAt(t, at, zone).getTime())
    return moments.length ? new Date(Math.min(...moments)) : null
  }
  const minutes = everyMinutes(digest.every)
  if (minutes === null) return null
  const midnight = startOfDay(dayOf(at, zone), zone).getTime()
  const tomorrow = startOfDay(dayFrom(at, 1, zone), zone).getTime()
  const step = minutes * 60_000
  return new Date(Math.min(midnight + (Math.floor((at.getTime() - midnight) / step) + 1) * step, tomorrow))
}
