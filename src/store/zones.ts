import { minutesEastAt } from '@/core/values/dates'
import { many, one, type Queryable } from './database'

/**
 * Names of the IANA time zone database that say a continent or an ocean and a place (Theory and pragmatics of the tz code and data, "Timezone identifiers"), and UTC: not `US/Pacific`, `EST` or `posix/…`,
 * which systems do not have alike.
 */
const PLACES = /^((Africa|America|Antarctica|Arctic|Asia|Atlantic|Australia|Europe|Indian|Pacific)\/.+|UTC)$/

/** The name under which this process knows a time zone; null where it does not. */
function canonical(zone: string): string | null {
  try {
    return new Intl.DateTimeFormat('en', { timeZone: zone }).resolvedOptions().timeZone
  } catch {
    return null
  }
}

let found: readonly string[] | null = null

/**
 * Names of the time zones that an organisation can have, in order: those that the database and this process both know, for conditions are worked out by either. They are found once, since PostgreSQL
 * reads a folder of files for it.
 */
export async function listZones(db: Queryable): Promise<readonly string[]> {
  if (found) return found
  const rows = await many<{ name: string }>(db, 'select name from pg_timezone_names order by name')
  found = rows.map((row) => row.name).filter((name) => PLACES.test(name) && canonical(name) !== null)
  return found
}

/** A zone as one of those that an organisation can have: itself, or another name of it, for browsers tell it by the name of their own version; null where there is none. */
export async function zoneKnownAs(db: Queryable, zone: string): Promise<string | null> {
  const zones = await listZones(db)
  if (zones.includes(zone)) return zone
  const same = canonical(zone)
  return same === null ? null : (zones.find((other) => canonical(other) === same) ?? null)
}

/** For how many days back and ahead clocks are compared. */
const DAYS = 730

/**
 * Where the database's clocks of a zone and this process's differ: null where they agree for two years back and ahead, each day at noon in UTC; else the first day on which they do not (`YYYY-MM-DD`), or
 * `unknown` where the database does not know the zone. `eastAt` tells this process's clocks, in minutes before UTC.
 */
export async function zoneDiffers(db: Queryable, zone: string, eastAt = (at: Date) => minutesEastAt(at, zone)): Promise<null | 'unknown' | { readonly day: string }> {
  const { known } = await one<{ known: boolean }>(db, 'select exists (select from pg_timezone_names where lower(name) = lower($1)) as known', [zone])
  if (!known) return 'unknown'
  const days = await many<{ at: Date; east: number }>(
    db,
    `select at, (extract(epoch from (at at time zone $1) - (at at time zone 'UTC')) / 60)::float as east
       from generate_series(date_trunc('day', now()) + interval '12 hours' - $2::int * interval '1 day', now() + $2::int * interval '1 day', interval '1 day') at order by at`,
    [zone, DAYS],
  )
  const differing = days.find(({ at, east }) => eastAt(at) !== east)
  return differing ? { day: differing.at.toISOString().slice(0, 10) } : null
}
