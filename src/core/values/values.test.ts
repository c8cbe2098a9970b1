import { CLAIMS } from '../../../tests/support/claims'
import { ORGANISATION } from '../../../tests/support/core'
import { compareNumbers, isBlank, isEqual } from './compare'
import { dayFrom, dayOf, isDay, isInstant, startOfDay } from './dates'
import { formatMoney, formatNumber, formatStored } from './format'
import { parseRecord } from './parse'

test('numbers compare exactly as decimals', () => {
  expect(compareNumbers('0.30000000000000000001', 0.3)).toBeGreaterThan(0)
  expect(compareNumbers('9007199254740993', '9007199254740992')).toBeGreaterThan(0)
  expect(isEqual('money', '10.00', 10)).toBe(true)
})

test('blank is null, absent, or nothing but white space', () => {
  expect([null, undefined, '', ' \u2003\ufeff', [], 0, false, 'x'].map(isBlank)).toEqual([true, true, true, true, true, false, false, false])
})

// Source: IANA time zone database, Europe/London: summer time began on 2026-03-29 at 01:00 UTC.
test('days follow the zone over the change of the clocks', () => {
  expect(dayOf(new Date('2026-03-29T23:30:00Z'), 'Europe/London')).toBe('2026-03-30')
  expect(startOfDay('2026-03-30', 'Europe/London').toISOString()).toBe('2026-03-29T23:00:00.000Z')
  expect(dayFrom(new Date('2026-03-28T12:00:00Z'), 2, 'Europe/London')).toBe('2026-03-30')
})

// Source: ISO 8601 calendar dates; 2024 is a leap year, 2026 is not.
test('only real days and instants are taken', () => {
  expect(['2024-02-29', '2026-02-29', '2026-13-01', '2026-1-1'].map(isDay)).toEqual([true, false, false, false])
  expect(['2026-03-01T10:00:00Z', '2026-03-01T10:00+01:00', '2026-03-01T10:00', '2026-02-30T10:00Z'].map(isInstant)).toEqual([true, true, false, false])
})

test('values print in the organisation’s locale', () => {
  expect(formatMoney('12345678901234567.895', ORGANISATION)).toBe('£12,345,678,901,234,567.90')
  expect(formatNumber(1234.5, { ...ORGANISATION, locale: 'de-DE' })).toBe('1.234,5')
  expect(formatStored('yes/no', true, ORGANISATION)).toBe('yes')
})

test('a record from outside is read, and every problem in it is told', () => {
  const read = parseRecord(CLAIMS, { status: 'Gone', amount: 'much', shoe: 1, id: 5, due: '2026-02-30', note: 'fine', owner: '3' }, { whole: true })
  expect(read.image).toEqual({ note: 'fine', owner: 3 })
  expect(read.problems.map((p) => [p.code, p.path])).toEqual([
    ['not a choice', '/status'],
    ['wrong type', '/amount'],
    ['unknown field', '/shoe'],
    ['read only', '/id'],
    ['wrong type', '/due'],
  ])
})

test('money as text keeps more than 15 digits, less becomes a number', () => {
  expect(parseRecord(CLAIMS, { amount: '12345678901234567.89' }, { whole: false }).image).toEqual({ amount: '12345678901234567.89' })
  expect(parseRecord(CLAIMS, { amount: '12.50' }, { whole: false }).image).toEqual({ amount: 12.5 })
})
