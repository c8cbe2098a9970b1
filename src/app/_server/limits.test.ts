import { Limits } from './limits'
import type { Problem } from './problem'

const refusal = (work: Promise<unknown>) =>
  work.then(
    () => null,
    (error: Problem) => [error.status, error.headers['retry-after']],
  )

test('somebody’s calls are counted, and nobody else’s with them; after the time they may go on', async () => {
  const limits = new Limits({ points: 3, duration: 1 })
  for (let i = 0; i < 3; i++) await limits.count('person 1')
  expect(await refusal(limits.count('person 1'))).toEqual([429, '1'])
  expect(await refusal(limits.count('person 2'))).toBeNull()
  await new Promise((resolve) => setTimeout(resolve, 1_050))
  expect(await refusal(limits.count('person 1'))).toBeNull()
})

test('long work goes four at a time for one person, in turn; another person waits for none of it', async () => {
  const limits = new Limits()
  const ends: (() => void)[] = []
  const begun: string[] = []
  const long = (name: string) => () => {
    begun.push(name)
    return new Promise<string>((resolve) => ends.push(() => resolve(name)))
  }
  const all = ['a', 'b', 'c', 'd', 'e', 'f'].map((name) => limits.inTurn('person 1', long(name)))
  const theirs = limits.inTurn('person 2', long('other'))
  await Promise.resolve()
  expect(begun).toEqual(['a', 'b', 'c', 'd', 'other'])
  ends[0]?.()
  expect(await all[0]).toBe('a')
  await new Promise(setImmediate)
  expect(begun.slice(5)).toEqual(['e'])
  for (let i = 1; i < 7; i++) {
    ends[i]?.()
    await new Promise(setImmediate)
  }
  expect([await Promise.all(all), await theirs]).toEqual([['a', 'b', 'c', 'd', 'e', 'f'], 'other'])
})

test('work that fails hands its turn on; more than sixty that wait are refused', async () => {
  const limits = new Limits()
  let fail: () => void = () => undefined
  const stuck = new Promise<never>((_resolve, reject) => {
    fail = () => reject(new Error('no'))
  })
  const running = Array.from({ length: 4 }, () => refusalOf(limits.inTurn('p', () => stuck)))
  const waiting = Array.from({ length: 60 }, (_, i) => limits.inTurn('p', async () => i))
  expect(await refusal(limits.inTurn('p', async () => 'one more'))).toEqual([429, '5'])
  fail()
  expect(await Promise.all(running)).toEqual(['no', 'no', 'no', 'no'])
  expect(await Promise.all(waiting)).toHaveLength(60)
  expect(await limits.inTurn('p', async () => 'free again')).toBe('free again')
})

const refusalOf = (work: Promise<unknown>) =>
  work.then(
    () => 'done',
    (error: Error) => error.message,
  )
