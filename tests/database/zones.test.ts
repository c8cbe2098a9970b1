import { minutesEastAt } from '@/core/values/dates'
import { changeSettings } from '@/engine/change-settings'
import { createFirstAdministrator } from '@/store/access/first-administrator'
import { readSettings } from '@/store/settings'
import { listZones, zoneDiffers, zoneKnownAs } from '@/store/zones'
import { freshDatabase } from '../support/database'
import { BASE_URL } from '../support/engine'

let db: Awaited<ReturnType<typeof freshDatabase>>
beforeAll(async () => {
  db = await freshDatabase()
})
afterAll(() => db.drop())

test('an organisation can have each zone that database and process know, by its present name and by one of before (IANA time zone database, file backward)', async () => {
  const zones = await listZones(db.pool)
  expect(zones).toEqual(expect.arrayContaining(['Europe/London', 'Asia/Kolkata', 'Europe/Kyiv', 'America/Argentina/Buenos_Aires', 'Asia/Ho_Chi_Minh', 'UTC']))
  expect(zones.filter((zone) => !/^[A-Z][a-z]+\/|^UTC$/.test(zone))).toEqual([])
  await changeSettings(db.pool, { zone: 'Asia/Kolkata' }, BASE_URL)
  expect((await readSettings(db.pool)).zone).toBe('Asia/Kolkata')
})

test.each(['Europe/Londn', 'asia/kolkata', 'posix/Europe/London', 'Factory', '+05:30', '', "x'y"])('%p is refused, and nothing is changed', async (zone) => {
  await expect(changeSettings(db.pool, { zone, name: 'Elsewhere' }, BASE_URL)).rejects.toMatchObject({ name: 'Refused', code: 'invalid', problems: [{ path: '/zone' }] })
  expect((await readSettings(db.pool)).name).not.toBe('Elsewhere')
})

test('a browser’s zone is taken by whichever name is known here', async () => {
  expect(await zoneKnownAs(db.pool, 'Europe/Kyiv')).toBe('Europe/Kyiv')
  const elsewhere = await zoneKnownAs(db.pool, 'US/Pacific') // which the list does not have
  expect([elsewhere, minutesEastAt(new Date('2026-07-01T12:00:00Z'), elsewhere ?? 'UTC')]).toEqual(['America/Los_Angeles', -420])
  expect([await zoneKnownAs(db.pool, 'Nowhere/Else'), await zoneKnownAs(db.pool, '')]).toEqual([null, null])
})

test('it is told where the clocks of the database and of the process differ, and from which day on', async () => {
  expect(await zoneDiffers(db.pool, 'Europe/London')).toBeNull()
  expect(await zoneDiffers(db.pool, 'Nowhere/Else')).toBe('unknown')
  const { day } = (await zoneDiffers(db.pool, 'Europe/London', () => 0)) as { day: string } // as if summer time were not known
  expect(minutesEastAt(new Date(`${day}T12:00:00Z`), 'Europe/London')).toBe(60)
})

test('the first administrator’s browser says by which clocks the organisation goes', async () => {
  const fresh = await freshDatabase()
  try {
    await createFirstAdministrator(fresh.pool, {
      name: 'Ada Min',
      email: 'ada@office.example',
      password: 'long enough',
      organisation: 'Office',
      zone: 'Asia/Tokyo',
      locale: 'ja-JP',
    })
    expect(await readSettings(fresh.pool)).toMatchObject({ name: 'Office', zone: 'Asia/Tokyo', locale: 'ja-JP' })
  } finally {
    await fresh.drop()
  }
})
