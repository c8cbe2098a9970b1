import { type Found, isPutBack, isSameLife, seenOf } from './put-back'

const found = (next: number, ...lives: string[]): Found => ({ is: 'a', next: BigInt(next), lives })

test('a database whose numbers go on is as it was', () => {
  const seen = seenOf(found(700))
  expect(isPutBack(found(700), seen)).toBe(false)
  expect(isPutBack(found(9_000_000_000), seen)).toBe(false)
})

test('one whose next number is lower than it was was put back', () => {
  expect(isPutBack(found(699), seenOf(found(700)))).toBe(true)
  expect(isPutBack(found(700), { ...seenOf(found(700)), next: '9007199254740993' })).toBe(true)
})

test('another server’s numbers say nothing', () => {
  expect(isPutBack({ ...found(1), is: 'b' }, seenOf(found(700)))).toBe(false)
})

test('once it fell asleep, lower numbers are known of; a life that it does not know is one it has lost', () => {
  expect(isPutBack(found(10, 'one'), seenOf(found(700)))).toBe(false)
  expect(isPutBack(found(10, 'one', 'two'), seenOf(found(700, 'one')))).toBe(false)
  expect(isPutBack(found(10, 'one'), seenOf(found(700, 'one')))).toBe(true)
  expect(isPutBack(found(800), seenOf(found(700, 'one')))).toBe(true)
  expect(isPutBack(found(800, 'one'), seenOf(found(700, 'one', 'two')))).toBe(true)
  expect([isSameLife(found(1), seenOf(found(2))), isSameLife(found(1, 'one'), seenOf(found(2)))]).toEqual([true, false])
})
