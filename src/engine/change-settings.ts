import type { Pool } from 'pg'
import { atOneSnapshot, renewFigures } from '@/store/figures/definitions'
import { changeSender } from '@/store/mail/sender'
import { rezoneTimetables } from '@/store/moments'
import { readNow } from '@/store/now'
import { Refused } from '@/store/problems'
import { readSettings, type Settings, writeSettings } from '@/store/settings'
import { listZones } from '@/store/zones'
import { readSurroundings } from './program'

/**
 * Changes the settings that are given. With another time zone timetables come by it from now on, and figures that go by days are worked out anew, in the same transaction; mail that waits is from the
 * organisation's sender as it is now. @throws Refused for a time zone that the database, or this process, does not know
 */
export async function changeSettings(pool: Pool, given: Partial<Settings>, baseUrl: string, at?: Date): Promise<void> {
  const was = await readSettings(pool)
  if (given.zone !== undefined && given.zone !== was.zone) await refuseUnknown(pool, given.zone)
  await atOneSnapshot(pool, async (db) => {
    const { zone } = await readSettings(db)
    await writeSettings(db, given)
    if (given.zone === undefined || given.zone === zone) return
    const now = at ?? (await readNow(db))
    await rezoneTimetables(db, given.zone, now)
    await renewFigures(db, await readSurroundings(db, baseUrl), now)
  })
  // by itself: messages move all the while, and could not be changed at the snapshot of before
  if (given.sender) await changeSender(pool, was.sender, given.sender, { anyName: true })
}

async function refuseUnknown(db: Pool, zone: string): Promise<void> {
  if ((await listZones(db)).includes(zone)) return
  const message = `${zone} is not a time zone that the database and Rappel know, such as Europe/London (IANA time zone database).`
  throw new Refused('invalid', message, [{ code: 'not valid', path: '/zone', message }])
}
