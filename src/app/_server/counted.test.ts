import { Counted } from './counted'

let now = 0
let asked = 0

/** Counts how often it was asked, which takes so long. */
const counting = (took: number) =>
  new Counted(
    async (of) => {
      now += took
      asked++
      return `${of}: ${asked}`
    },
    () => now,
  )

beforeEach(() => {
  now = 0
  asked = 0
})

test('what is quickly counted is counted at each look', async () => {
  const counted = counting(50)
  expect([await counted.get(), await counted.get(), await counted.get()]).toEqual(['0: 1', '0: 2', '0: 3'])
})

test('what takes long is good for sixty times as long, once more while it is counted anew, and not after that', async () => {
  const counted = counting(500)
  expect(await counted.get()).toBe('0: 1')
  now += 29_999
  expect(await counted.get()).toBe('0: 1')
  now += 1
  expect(await counted.get()).toBe('0: 1')
  await new Promise(setImmediate)
  expect(await counted.get()).toBe('0: 2')
  now += 60_000
  expect(await counted.get()).toBe('0: 3')
})

test('it is good for as long as is said', async () => {
  const counted = new Counted(
    async () => {
      now += 500
      return `${now}`
    },
    () => now,
    { times: 10, mostMs: 4_000 },
  )
  expect(await counted.get()).toBe('500')
  now += 3_999
  expect(await counted.get()).toBe('500')
  now += 4_001
  expect(await counted.get()).toBe('9000')
})

test('it is good for ten minutes at most, and for nothing else than it was counted for', async () => {
  const counted = counting(15_000)
  expect(await counted.get(1)).toBe('1: 1')
  now += 599_999
  expect(await counted.get(1)).toBe('1: 1')
  expect(await counted.get(2)).toBe('2: 2')
})

test('what may be old is shown as long as it is not a minute old, and counted anew afterwards, once', async () => {
  const counted = counting(50)
  const old = () => true
  expect([await counted.get(0, old), await counted.get(0, old), await counted.get(0, old)]).toEqual(['0: 1', '0: 1', '0: 1'])
  await new Promise((resolve) => setTimeout(resolve, 600))
  expect(asked).toBe(2)
  now += 59_999
  expect(await counted.get(0, old)).toBe('0: 2')
  now += 1
  expect(await counted.get(0, old)).toBe('0: 3')
  expect(await counted.get()).toBe('0: 4')
})

test('what nobody waits for is counted one after the other, and told so', async () => {
  let atOnce = 0
  const told: boolean[] = []
  const count = async (_: number, isUnhurried: boolean) => {
    told.push(isUnhurried)
    expect(++atOnce).toBe(1)
    now += 500
    await new Promise((resolve) => setTimeout(resolve, 5))
    return --atOnce
  }
  const several = Array.from({ length: 3 }, () => new Counted(count, () => now))
  for (const counted of several) await counted.get()
  now += 40_000
  await Promise.all(several.map((counted) => counted.get()))
  await new Promise((resolve) => setTimeout(resolve, 100))
  expect(told).toEqual([false, false, false, true, true, true])
})

test('whoever waits does not wait for what is counted in its turn', async () => {
  let release: () => void = () => undefined
  const counted = new Counted(
    async (_, isUnhurried) => {
      now += 500
      if (isUnhurried) await new Promise<void>((resolve) => (release = resolve))
      return isUnhurried ? 'in its turn' : 'at once'
    },
    () => now,
  )
  await counted.get()
  now += 40_000
  await counted.get()
  await new Promise(setImmediate)
  now += 60_000
  expect(await counted.get()).toBe('at once')
  release()
})

test('who asks while it is counted waits for the same; what fails is tried again by the next', async () => {
  let fails = true
  const counted = new Counted(async () => {
    asked++
    await new Promise((resolve) => setTimeout(resolve, 5))
    if (fails) throw new Error('away')
    return asked
  })
  expect((await Promise.allSettled([counted.get(), counted.get()])).map((r) => r.status)).toEqual(['rejected', 'rejected'])
  expect(asked).toBe(1)
  fails = false
  expect(await Promise.all([counted.get(), counted.get()])).toEqual([2, 2])
})
