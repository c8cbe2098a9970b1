import { after, durationWords, readDuration, typedDuration } from './duration'

test.each([
  ['PT4H', 0, 14_400],
  ['P5D', 5, 0],
  ['P2W', 14, 0],
  ['P1DT12H', 1, 43_200],
  ['PT90M', 0, 5_400],
  ['PT45S', 0, 45],
])('ISO 8601-1, 5.5.2: %s', (text, days, seconds) => {
  expect(readDuration(text)).toEqual({ duration: { days, seconds } })
})

test.each(['', 'P', 'PT', '5 days', 'P1M', 'P1Y', 'PT-4H', 'P0D', 'PT0M', 'P9999D', 'p5d', 'P5DT', `P${'9'.repeat(40)}D`])(
  '%j is no length of time that can be waited for, and says so',
  (text) => {
    expect(readDuration(text)).toEqual({ problem: expect.stringMatching(/\.$/) })
  },
)

test.each([
  ['P5D', '5 days'],
  ['P1D', '1 day'],
  ['P14D', '2 weeks'],
  ['P7D', '7 days'],
  ['PT90M', '90 minutes'],
  ['PT4H', '4 hours'],
  ['P1DT12H', '1 day and 12 hours'],
  ['nonsense', 'nonsense'],
])('%s reads “%s”', (text, words) => {
  expect(durationWords(text)).toBe(words)
})

test.each([
  ['5 days', 'P5D'],
  ['a day', 'P1D'],
  ['4 hours', 'PT4H'],
  ['90 min', 'PT90M'],
  ['2 weeks', 'P2W'],
  ['pt4h', 'PT4H'],
  ['two weeks', 'P2W'],
  ['1.5 hours', 'PT1H30M'],
  ['half an hour', 'PT30M'],
  ['half a day', 'PT12H'],
  ['2.5 days', 'P2DT12H'],
  ['1 day and 12 hours', 'P1DT12H'],
  ['2 days, 3 hours and 15 minutes', 'P2DT3H15M'],
  ['1.1 hours', 'PT1H6M'],
  ['1.01 minutes', null],
  ['5 working days', null],
  ['a month', null],
  ['soon', null],
  ['0 days', null],
])('“%s” typed is %s', (text, iso) => {
  expect(typedDuration(text)).toBe(iso)
})

test('days keep the time of day where a zone’s clocks change in between; hours do not', () => {
  const before = new Date('2026-03-28T09:00:00Z') // Europe/London: summer time begins in the night that follows
  expect(after(before, { days: 1, seconds: 0 }, 'Europe/London').toISOString()).toBe('2026-03-29T08:00:00.000Z')
  expect(after(before, { days: 0, seconds: 86_400 }, 'Europe/London').toISOString()).toBe('2026-03-29T09:00:00.000Z')
})
