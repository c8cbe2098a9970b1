import { type Place, SignInLimits, waitOf } from '@/store/access/sign-in-limits'
import { freshDatabase } from '../support/database'

let database: Awaited<ReturnType<typeof freshDatabase>>
beforeAll(async () => {
  database = await freshDatabase()
})
afterAll(() => database.drop())

const place = (email: string, more: Partial<Place> = {}): Place => ({ email, caller: '192.0.2.1', device: null, ...more })

/** The waits of the test: a hundredth of the real ones would be too short to tell from work. */
const WAITS = { first: 400, longest: 1_600 }
const limitsHere = () => new SignInLimits(database.pool, WAITS)

/** Whether an admission had to wait. */
async function waits(limits: SignInLimits, from: Place): Promise<boolean> {
  const start = performance.now()
  expect(await limits.admit(from)).toBe('go on')
  return performance.now() - start >= WAITS.first
}

test('five tries are free, then each waits twice as long, up to 16 seconds', () => {
  expect([1, 5, 6, 7, 8, 9, 10, 11, 500].map((n) => waitOf(n, false))).toEqual([0, 0, 1_000, 2_000, 4_000, 8_000, 16_000, 16_000, 16_000])
  expect(waitOf(1, true)).toBe(16_000)
})

test('tries count before they are looked at, however the address is written and whoever counts', async () => {
  const [one, other] = [limitsHere(), limitsHere()]
  for (const email of ['busy@x.example', 'BUSY@x.example', ' busy@x.example ', 'ｂusy@x.example', 'busy@X.EXAMPLE']) await one.admit(place(email))
  expect(await waits(other, place('Busy@x.example'))).toBe(true)
})

test('of many tries at once a few wait, the others are sent away', async () => {
  const limits = limitsHere()
  const came = await Promise.all(Array.from({ length: 40 }, () => limits.admit(place('flood@x.example', { caller: '192.0.2.9' }))))
  expect(came.filter((c) => c === 'go on')).toHaveLength(7) // five are free, two wait
})

test('strangers make neither another place slow nor a browser that is known', async () => {
  const limits = limitsHere()
  for (let i = 0; i < 5; i++) await limits.admit(place('owner@x.example', { caller: '198.51.100.7' }))
  expect(await waits(limits, place('owner@x.example', { caller: '203.0.113.5' }))).toBe(false)
  expect(await waits(limits, place('owner@x.example', { caller: '198.51.100.7', device: 'mine' }))).toBe(false)
})

// Source: OWASP ASVS 4.0.3, 2.2.1: no more than 100 failed attempts an hour are possible on one account.
test('an address that a hundred strangers tried within the hour is slow from every strange place, and not from a known one', async () => {
  const limits = limitsHere()
  for (let i = 0; i < 101; i++) await limits.admit(place('besieged@x.example', { caller: `198.51.100.${i}` }))
  const stranger = limits.admit(place('besieged@x.example', { caller: '203.0.113.200' }))
  expect(await waits(limits, place('besieged@x.example', { device: 'mine' }))).toBe(false)
  expect(await Promise.race([stranger, new Promise((r) => setTimeout(() => r('waits'), WAITS.first))])).toBe('waits')
  expect(await stranger).toBe('go on')
})

test('a success is as if nothing had been', async () => {
  const limits = limitsHere()
  const from = place('forgetful@x.example', { caller: '192.0.2.77' })
  for (let i = 0; i < 5; i++) await limits.admit(from)
  await limits.succeeded(from)
  expect(await waits(limits, from)).toBe(false)
})
