import type { Event, Write } from './events'
import { fleet, lastSeason, passengers, sailings, stores } from './ferries'
import { claims, companies, defects, enquiries, papers, today } from './office'
import { World } from './world'

const SEED = 0.417
export const HISTORY_DAYS = 90

/** The whole made-up history up to now, in order of time; the same seed and day give the same events. */
export function writeHistory(now: Date, people: ReadonlyMap<string, number>, certificate: number): Event[] {
  const world = new World(now, HISTORY_DAYS, SEED, people, certificate)
  for (const write of [fleet, passengers, companies, sailings, stores, claims, enquiries, defects, papers, today, lastSeason]) write(world)
  return inOrder(world.events)
}

/** Sorts by time and drops later writes to what was never created or is gone, as happens where a creation would lie in the future. */
function inOrder(events: readonly Event[]): Event[] {
  const alive = new Set<string>()
  const sorted = [...events].sort((a, b) => a.at.getTime() - b.at.getTime())
  const kept: Event[] = []
  for (const event of sorted) {
    const writes = event.writes.flatMap((w): Write[] => {
      if (w.do === 'create') {
        alive.add(`${w.table} ${w.image.id}`)
        const { booking } = w.image
        return [booking && !alive.has(`bookings ${booking}`) ? { ...w, image: { ...w.image, booking: null } } : w]
      }
      if (w.do === 'delete') return alive.delete(`${w.table} ${w.id}`) ? [w] : []
      const ids = w.ids.filter((id) => alive.has(`${w.table} ${id}`))
      return ids.length ? [{ ...w, ids }] : []
    })
    if (writes.length) kept.push({ ...event, writes })
  }
  return kept
}
