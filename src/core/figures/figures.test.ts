import { beyond, sideAfter } from './crossing'
import { daysWithin, isoWeek, readShift } from './window'

// Source: ISO 8601-1:2019, 4.2.2 (week 1 has the year's first Thursday); dates of year ends from the calendar, worked out by hand.
test.each([
  ['2004-12-31', 2004, 53],
  ['2005-01-01', 2004, 53],
  ['2005-01-03', 2005, 1],
  ['2007-12-31', 2008, 1],
  ['2008-12-28', 2008, 52],
  ['2008-12-29', 2009, 1],
  ['2009-12-31', 2009, 53],
  ['2010-01-03', 2009, 53],
  ['2010-01-04', 2010, 1],
  ['2020-12-31', 2020, 53],
  ['2021-01-04', 2021, 1],
  ['2026-12-31', 2026, 53],
])('%s is in the week %i-W%i', (day, year, week) => {
  expect(isoWeek(day)).toEqual({ year, week })
})

test.each([
  ['this week', undefined, '2026-11-26T12:00:00Z', 'Europe/London', '2026-11-23', '2026-11-29'],
  ['this week', 'P1Y', '2026-11-26T12:00:00Z', 'Europe/London', '2025-11-24', '2025-11-30'], // week 48 of both years
  ['this week', 'P1Y', '2026-12-31T12:00:00Z', 'Europe/London', '2025-12-22', '2025-12-28'], // week 53, which 2025 has not: its last
  ['this month', 'P1Y', '2024-02-29T12:00:00Z', 'Europe/London', '2023-02-01', '2023-02-28'],
  ['this quarter', undefined, '2026-11-26T12:00:00Z', 'Europe/London', '2026-10-01', '2026-12-31'],
  ['this quarter', 'P3M', '2026-11-26T12:00:00Z', 'Europe/London', '2026-07-01', '2026-09-30'],
  ['this year', undefined, '2026-11-26T12:00:00Z', 'Europe/London', '2026-01-01', '2026-12-31'],
  ['today', undefined, '2026-11-26T12:00:00Z', 'Pacific/Kiritimati', '2026-11-27', '2026-11-27'], // fourteen hours ahead
  ['today', undefined, '2026-11-26T05:00:00Z', 'America/Los_Angeles', '2026-11-25', '2026-11-25'],
  [{ last: 7 }, undefined, '2026-03-02T12:00:00Z', 'Europe/London', '2026-02-24', '2026-03-02'],
  [{ last: 7 }, 'P1W', '2026-03-02T12:00:00Z', 'Europe/London', '2026-02-17', '2026-02-23'],
] as const)('%j moved back by %s at %s in %s takes in %s to %s', (window, shift, at, zone, from, to) => {
  expect(daysWithin({ window, ...(shift ? { shift } : {}) }, new Date(at), zone)).toEqual({ from, to })
})

test('lengths that are none are told from those that are', () => {
  expect(['P', 'P1H', '1Y', 'PT1M', 'P-1Y'].map(readShift)).toEqual([null, null, null, null, null])
  expect(readShift('P1Y2M3W4D')).toEqual({ years: 1, months: 2, weeks: 3, days: 4 })
})

test('thresholds are compared exactly where doubles cannot tell', () => {
  expect([beyond({ when: 'above' }, 0.3, '0.30'), beyond({ when: 'above' }, 0.3, '0.300000000000000000001'), beyond({ when: 'at most' }, 0.3, '0.3')]).toEqual([false, true, true])
  expect(beyond({ when: 'above' }, 9_007_199_254_740_991, '9007199254740992')).toBe(true)
  expect(sideAfter({ when: 'above', rearm: 15 }, 18, 'far', '16')).toBe('far')
  expect(sideAfter({ when: 'above', rearm: 15 }, 18, 'far', '15')).toBe('near')
  expect(sideAfter({ when: 'above' }, 18, 'far', null)).toBe('near')
  expect(sideAfter({ when: 'above' }, null, 'far', '20')).toBe('near') // the line itself is blank
  expect(sideAfter({ when: 'below' }, '0.1', 'near', '0.09999999999999999999')).toBe('far')
})
