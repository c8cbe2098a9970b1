import { must } from '../must'
import { cronWords, lastTick, nextTick, readCron, ticksBetween } from './cron'

const cron = (text: string) => {
  const read = readCron(text)
  if ('problem' in read) throw new Error(read.problem.message)
  return read.cron
}

const between = (text: string, from: string, to: string, zone: string) => ticksBetween(cron(text), new Date(from), new Date(to), zone).map((d) => d.toISOString().slice(0, 16))

describe('what cannot be read says which field, and how to mend it', () => {
  test.each<[string, string, RegExp]>([
    ['* * * * * *', '', /five fields.*has 6/],
    ['', '', /five fields.*has none/],
    ['61 * * * *', 'minute', /“?61|"61".*0 to 59/],
    ['* 24 * * *', 'hour', /0 to 23/],
    ['* * 0 * *', 'day of the month', /1 to 31/],
    ['* * * 13 *', 'month', /1 to 12/],
    ['* * * * 8', 'day of the week', /0 to 7/],
    ['* * * foo *', 'month', /names no month.*name such as feb/],
    ['5-1 * * * *', 'minute', /backwards/],
    ['*/0 * * * *', 'minute', /step/],
    ['*/90 * * * *', 'minute', /step/],
    ['@daily', '', /five fields/],
    ['*-5 * * * *', 'minute', /cannot be read/],
    ['1,,2 * * * *', 'minute', /cannot be read/],
    ['0 0 30 2 *', 'day of the month', /never comes.*February has no day 30/],
    ['0 0 31 4,6,9,11 *', 'day of the month', /never comes/],
    [`${'1,'.repeat(300)}1 * * * *`, '', /at most 200 characters/],
  ])('%j', (text, field, message) => {
    expect(readCron(text)).toEqual({ problem: { field, message: expect.stringMatching(message) } })
  })
})

// POSIX.1-2017, crontab, "Input files": where both day fields are restricted, either counts; where one is *, the other alone does.
test('a day of the month and a day of the week that are both restricted count either', () => {
  expect(between('0 0 13 * 5', '2026-03-01T12:00:00Z', '2026-03-21T00:00:00Z', 'UTC')).toEqual(['2026-03-06T00:00', '2026-03-13T00:00', '2026-03-20T00:00'])
  expect(between('0 0 13 * *', '2026-03-01T12:00:00Z', '2026-04-30T00:00:00Z', 'UTC')).toEqual(['2026-03-13T00:00', '2026-04-13T00:00'])
  expect(between('0 0 * * fri', '2026-03-01T12:00:00Z', '2026-03-14T00:00:00Z', 'UTC')).toEqual(['2026-03-06T00:00', '2026-03-13T00:00'])
})

test('Sunday is 0 and 7; names are read in any case', () => {
  expect(cron('0 0 * * 7').weekdays).toEqual(cron('0 0 * * SUN').weekdays)
  expect(cron('0 0 * jan,Mar *').months).toEqual(new Set([1, 3]))
})

test('29 February comes in leap years alone, also over 2100', () => {
  expect(nextTick(cron('0 0 29 2 *'), new Date('2026-03-01T00:00:00Z'), 'UTC')?.toISOString()).toBe('2028-02-29T00:00:00.000Z')
  expect(nextTick(cron('0 0 29 2 *'), new Date('2096-03-01T00:00:00Z'), 'UTC')?.toISOString()).toBe('2104-02-29T00:00:00.000Z')
})

describe('where clocks change (IANA time zone database)', () => {
  test('a local time that does not exist runs at the next that does, once', () => {
    // Europe/London, 29 March 2026: 01:00 to 02:00 does not exist
    expect(between('30 1 * * *', '2026-03-28T00:00:00Z', '2026-03-31T00:00:00Z', 'Europe/London')).toEqual(['2026-03-28T01:30', '2026-03-29T01:00', '2026-03-30T00:30'])
    expect(between('*/20 1 * * *', '2026-03-28T12:00:00Z', '2026-03-29T12:00:00Z', 'Europe/London')).toEqual(['2026-03-29T01:00'])
  })

  test('one that comes twice runs once, at its first', () => {
    // Europe/London, 25 October 2026: 01:00 to 02:00 comes twice
    expect(between('30 1 * * *', '2026-10-24T12:00:00Z', '2026-10-26T12:00:00Z', 'Europe/London')).toEqual(['2026-10-25T00:30', '2026-10-26T01:30'])
    expect(between('*/30 * * * *', '2026-10-24T23:30:00Z', '2026-10-25T02:30:00Z', 'Europe/London')).toEqual([
      '2026-10-25T00:00',
      '2026-10-25T00:30',
      '2026-10-25T02:00',
      '2026-10-25T02:30',
    ])
  })

  test('half hours, and days that a zone left out', () => {
    // Australia/Lord_Howe moves by half an hour: 4 October 2026, 02:00 to 02:30 does not exist
    expect(between('15 2 * * *', '2026-10-03T00:00:00Z', '2026-10-04T20:00:00Z', 'Australia/Lord_Howe')).toEqual(['2026-10-03T15:30', '2026-10-04T15:15'])
    // Pacific/Apia had no 30 December 2011
    expect(between('0 12 * * *', '2011-12-29T12:00:00Z', '2012-01-01T12:00:00Z', 'Pacific/Apia')).toEqual([
      '2011-12-29T22:00',
      '2011-12-30T10:00',
      '2011-12-30T22:00',
      '2011-12-31T22:00',
    ])
  })
})

test('the last moment up to another is found without going through all before it', () => {
  const began = Date.now()
  const last = lastTick(cron('* * * * *'), new Date('2020-01-01T00:00:00Z'), new Date('2026-03-01T00:00:30Z'), 'Europe/London')
  expect(last?.toISOString()).toBe('2026-03-01T00:00:00.000Z')
  expect(Date.now() - began).toBeLessThan(5_000)
  expect(lastTick(cron('0 0 1 1 *'), new Date('2026-02-01T00:00:00Z'), new Date('2026-03-01T00:00:00Z'), 'UTC')).toBeNull()
  expect(lastTick(cron('0 0 1 1 *'), new Date('2020-02-01T00:00:00Z'), new Date('2026-03-01T00:00:00Z'), 'UTC')?.toISOString()).toBe('2026-01-01T00:00:00.000Z')
})

test.each([
  ['0 7 * * 1-5', 'on working days at 07:00'],
  ['0 7 * * *', 'every day at 07:00'],
  ['0 7 * * 1', 'each Monday at 07:00'],
  ['30 8,16 * * *', 'every day at 08:30 and 16:30'],
  ['*/15 * * * *', 'every day every 15 minutes'],
  ['0 * * * *', 'every day every hour'],
  ['0 6 1 * *', 'on the 1st of each month at 06:00'],
  ['0 6 1,15 1 *', 'on the 1st and 15th in January at 06:00'],
  ['0 6 13 * 5', 'on the 13th of each month or each Friday at 06:00'],
  ['0 9 * * 6,0', 'on Saturdays and Sundays at 09:00'],
  ['*/30 8-17 * * 1-5', 'on working days every 30 minutes from 08:00 to 17:59'],
  ['nonsense', 'nonsense'],
])('%s reads “%s”', (text, words) => {
  expect(cronWords(text)).toBe(words)
})

test('five fields that a person may write are gone through in time', () => {
  const began = Date.now()
  for (const text of ['* * * * *', '59 23 31 12 *', '0 0 29 2 1', '1-59/7 1-23/5 */9 2,5 0-6/3'])
    expect(must(nextTick(cron(text), new Date('2026-03-01T00:00:00Z'), 'America/Santiago'))).toBeInstanceOf(Date)
  expect(Date.now() - began).toBeLessThan(5_000)
})
