import fc from 'fast-check'
import { Bits } from './bits'
import { digitsOf, roundBetween } from './round'

test.each([
  [430, 612, 500],
  [0.31, 0.38, 0.35],
  [99, 101, 100],
  [1_200, 1_300, 1_250],
  [-3, 2, 0],
  [-12, -7, -10],
  [6, 7, 7],
])('the roundest number above %p and at most %p is %p', (above, most, round) => expect(roundBetween(above, most)).toBe(round))

test.each([
  [0, 1],
  [7, 1],
  [300, 1],
  [-1_200, 2],
  [1_250, 2.5],
  [5, 1],
  [0.5, 1.5],
  [12.25, 4],
  [2 ** 53 - 1, 16],
  [1e25, 1],
])('%p is written with %p digits', (value, digits) => expect(digitsOf(value)).toBe(digits))

test('zeros at the end of a whole number, and its sign, are no digits', () => {
  fc.assert(
    fc.property(fc.integer({ min: 1, max: 1e9 }), fc.integer({ min: 0, max: 6 }), (value, zeros) => {
      expect(digitsOf(-value * 10 ** zeros)).toBe(digitsOf(value))
      expect(Math.ceil(digitsOf(value))).toBe(String(value).replace(/0+$/, '').length)
    }),
  )
})

test('a round number always lies between', () => {
  fc.assert(
    fc.property(fc.double({ min: -1e9, max: 1e9, noNaN: true }), fc.double({ min: 1e-3, max: 1e6, noNaN: true }), (above, wide) => {
      const round = roundBetween(above, above + wide)
      expect(round).toBeGreaterThan(above)
      expect(round).toBeLessThanOrEqual(above + wide)
    }),
  )
})

test('sets of bits are as sets of numbers are', () => {
  const some = fc.uniqueArray(fc.integer({ min: 0, max: 99 }))
  fc.assert(
    fc.property(some, some, (a, b) => {
      const [x, y] = [Bits.among(100, a), Bits.among(100, b)]
      const members = (bits: Bits) => {
        const found: number[] = []
        bits.each((i) => found.push(i))
        return found
      }
      const sorted = (list: number[]) => list.sort((p, q) => p - q)
      expect(members(x)).toEqual(sorted([...a]))
      expect(x.count()).toBe(a.length)
      expect(members(x.and(y))).toEqual(sorted(a.filter((i) => b.includes(i))))
      expect(members(x.or(y))).toEqual(sorted([...new Set([...a, ...b])]))
      expect(members(x.without(y))).toEqual(sorted(a.filter((i) => !b.includes(i))))
      expect(x.includes(y)).toBe(b.every((i) => a.includes(i)))
      expect(x.meets(y)).toBe(b.some((i) => a.includes(i)))
      expect(x.key() === y.key()).toBe(a.length === b.length && x.includes(y))
    }),
  )
})
