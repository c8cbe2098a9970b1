import fc from 'fast-check'
import { Temporal } from 'temporal-polyfill'
import { dayFrom, dayOf, minutesEastAt, startOfDay } from '@/core/values/dates'
import { many } from '@/store/database'
import { freshDatabase } from '../support/database'

/**
 * Days in time zones, against two implementations of the IANA time zone database that are not ours:
 * the reference polyfill's kind of Temporal (TC39 proposal, stage 4), and PostgreSQL's own.
 */
const zone = fc.constantFrom(...Intl.supportedValuesOf('timeZone').filter((z) => z.includes('/')))
const moment = fc.date({ min: new Date('1995-01-01T00:00:00Z'), max: new Date('2035-12-31T23:59:59Z'), noInvalidDate: true })
/** Moments around changes of clocks, where it goes wrong if anywhere: London, New York, Lord Howe (half an hour), Apia (a day left out), Chatham. */
const turning = fc
  .tuple(
    fc.constantFrom(
      ['Europe/London', '2026-03-29T01:00:00Z'],
      ['Europe/London', '2026-10-25T01:00:00Z'],
      ['America/New_York', '2026-03-08T07:00:00Z'],
      ['America/New_York', '2026-11-01T06:00:00Z'],
      ['Australia/Lord_Howe', '2026-04-04T15:00:00Z'],
      ['Pacific/Apia', '2011-12-30T10:00:00Z'],
      ['Pacific/Chatham', '2026-09-26T14:00:00Z'],
      ['America/Sao_Paulo', '2018-11-04T03:00:00Z'], // midnight itself is left out
    ),
    fc.integer({ min: -30 * 3600, max: 30 * 3600 }),
  )
  .map(([[name, at], seconds]) => [name, new Date(Date.parse(at as string) + seconds * 1000)] as [string, Date])
const somewhere = fc.oneof(fc.tuple(zone, moment), turning)

const zoned = (at: Date, name: string) => Temporal.Instant.fromEpochMilliseconds(at.getTime()).toZonedDateTimeISO(name)

test('days, their beginnings and offsets are those of Temporal', () => {
  fc.assert(
    fc.property(somewhere, ([name, at]) => {
      const there = zoned(at, name)
      expect([name, at.toISOString(), dayOf(at, name)]).toEqual([name, at.toISOString(), there.toPlainDate().toString()])
      expect([name, startOfDay(dayOf(at, name), name).getTime()]).toEqual([name, there.startOfDay().epochMilliseconds])
      expect(minutesEastAt(at, name)).toBe(Math.floor(there.offsetNanoseconds / 60e9))
    }),
    { numRuns: 1_500 },
  )
})

test('so many days from today is that calendar day, whatever the clocks do in between', () => {
  fc.assert(
    fc.property(somewhere, fc.integer({ min: -400, max: 400 }), ([name, at], days) => {
      expect([name, at.toISOString(), days, dayFrom(at, days, name)]).toEqual([name, at.toISOString(), days, zoned(at, name).toPlainDate().add({ days }).toString()])
    }),
    { numRuns: 1_500 },
  )
})

test('PostgreSQL puts moments on the same days, so that conditions in SQL agree with those in JavaScript', async () => {
  const db = await freshDatabase()
  const known = new Set((await many<{ name: string }>(db.pool, 'select name from pg_timezone_names')).map((r) => r.name))
  const given = fc
    .sample(somewhere, { numRuns: 2_000, seed: 11 })
    .filter(([name]) => known.has(name))
    .map(([name, at]) => ({ name, at: at.toISOString() }))
  const rows = await many<{ name: string; at: string; day: string }>(
    db.pool,
    `select g.name, g.at, ((g.at::timestamptz at time zone g.name)::date)::text as day from jsonb_to_recordset($1::jsonb) as g (name text, at text)`,
    [JSON.stringify(given)],
  )
  await db.drop()
  expect(rows.length).toBeGreaterThan(1_500)
  expect(rows).toEqual(rows.map(({ name, at }) => ({ name, at, day: dayOf(new Date(at), name) })))
})
