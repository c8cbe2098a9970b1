import { Cron } from 'croner'
import fc from 'fast-check'
import { readCron, ticksBetween } from '@/core/cues/cron'

/**
 * Timetables held against croner 11, a well-kept library of the registry, over 400 days in zones whose clocks do odd things (IANA time zone database). Days on which clocks
 * change are left to literal tests, since the library has a way of its own with times that do not exist or come twice.
 */
const ZONES = ['Europe/London', 'America/Santiago', 'Australia/Lord_Howe', 'Africa/Casablanca', 'Asia/Kolkata']

/** Moments of one timetable that are compared. */
const MOST = 300

const FROM = new Date('2026-01-01T00:00:00Z')
const TO = new Date(FROM.getTime() + 400 * 86_400_000)

/** Days around changes of a zone's clocks, on which nothing is compared. */
function oddDays(zone: string): (at: Date) => boolean {
  const inZone = new Intl.DateTimeFormat('en-GB', { timeZone: zone, timeZoneName: 'longOffset' })
  const odd: number[] = []
  let before = ''
  for (let at = FROM.getTime() - 86_400_000; at < TO.getTime() + 86_400_000; at += 3_600_000) {
    const offset = inZone.format(at).slice(-9)
    if (before && offset !== before) odd.push(at)
    before = offset
  }
  return (at) => odd.some((o) => Math.abs(at.getTime() - o) < 30 * 3_600_000)
}

const field = (from: number, to: number) => {
  const number = fc.integer({ min: from, max: to })
  const range = fc.tuple(number, number).map(([a, b]) => `${Math.min(a, b)}-${Math.max(a, b)}`)
  return fc.oneof(
    { weight: 2, arbitrary: number.map(String) },
    { weight: 1, arbitrary: range },
    { weight: 1, arbitrary: fc.array(number, { minLength: 2, maxLength: 4 }).map((l) => [...new Set(l)].join(',')) },
    { weight: 1, arbitrary: fc.tuple(range, fc.integer({ min: 1, max: 6 })).map(([r, s]) => `${r}/${s}`) },
  )
}
const maybe = (arbitrary: fc.Arbitrary<string>) => fc.oneof({ weight: 2, arbitrary: fc.constant('*') }, { weight: 1, arbitrary })

const timetable = fc.tuple(field(0, 59), field(0, 23), maybe(field(1, 28)), maybe(field(1, 12)), maybe(field(0, 6))).map((fields) => fields.join(' '))

test.each(ZONES)('croner comes at the same moments in %s', (zone) => {
  const isOdd = oddDays(zone)
  const even = (list: readonly Date[]) => list.filter((at) => !isOdd(at)).map((at) => at.toISOString())
  for (const text of fc.sample(timetable, { numRuns: 15, seed: 7 })) {
    const read = readCron(text)
    if ('problem' in read) throw new Error(`${text}: ${read.problem.message}`)
    const ours = ticksBetween(read.cron, FROM, TO, zone, MOST)
    const until = ours.length === MOST ? (ours.at(-1) ?? TO) : TO
    const croner = new Cron(text, { timezone: zone, domAndDow: false })
    const theirs: Date[] = []
    for (let at = croner.nextRun(FROM); at && at <= until; at = croner.nextRun(at)) theirs.push(at)
    expect([text, even(ours)]).toEqual([text, even(theirs)])
  }
})
