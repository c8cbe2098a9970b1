import type { Pool } from 'pg'
import { pause } from './chance'

/** What health said that was not so, and how it answered. */
export interface Watched {
  asked: number
  answered: number
  notOk: number
  /** Times at which it said `ok` while a change or a message had stood still for longer than a minute, or nothing at all delivered or decided. */
  readonly wrong: string[]
}

/** How much longer than a minute something may stand still before `ok` is wrong: health is asked now and then, and so is the database. */
const LEEWAY_S = 5

/** What is watched: an installation's address, and how many processes do what. */
export interface Watch {
  readonly pool: Pool
  readonly url: string
  readonly partsAlive: () => { readonly changes: number; readonly mail: number }
  /** How often it is asked, in milliseconds. */
  readonly every: number
}

/** Asks health again and again, and the database itself, until the soak is off. */
export async function watch({ pool, url, partsAlive, every }: Watch, isOn: () => boolean): Promise<Watched> {
  const watched: Watched = { asked: 0, answered: 0, notOk: 0, wrong: [] }
  let nobodySince: number | null = null
  while (isOn()) {
    for (const end = Date.now() + every; Date.now() < end && isOn(); ) await pause(500)
    const alive = partsAlive()
    nobodySince = alive.changes === 0 || alive.mail === 0 ? (nobodySince ?? Date.now()) : null
    const before = await stoodStill(pool)
    watched.asked++
    const health = await fetch(`${url}/api/v1/health`, { signal: AbortSignal.timeout(8_000) })
      .then((response) => response.json() as Promise<{ ok: boolean }>)
      .catch(() => null)
    if (!health) continue
    watched.answered++
    if (!health.ok) {
      watched.notOk++
      continue
    }
    const after = (await stoodStill(pool)) ?? before
    const late = Math.min(before ?? 0, after ?? 0) // what was caught up with before health was asked, or came to stand still after, is none of its faults
    if (late > 60 + LEEWAY_S) watched.wrong.push(`ok while something had stood still for ${Math.round(late)} s`)
    if (nobodySince !== null && Date.now() - nobodySince > LEEWAY_S * 1_000)
      watched.wrong.push(`ok while a part had not run for ${Math.round((Date.now() - nobodySince) / 1_000)} s`)
  }
  return watched
}

/** For how many seconds the oldest change or message that may go has waited; 0 where none does, null where the database is away. */
async function stoodStill(pool: Pool): Promise<number | null> {
  return pool
    .query<{ change: number | null; message: number | null }>(
      `select (select extract(epoch from now() - min(c.at))::float from rappel.queue q join rappel.change c on c.id = q.change_id) as change,
              (select extract(epoch from now() - min(next_at))::float from rappel.message where state = 'queued' and next_at <= now()) as message`,
    )
    .then(
      ({ rows: [stood] }) => Math.max(stood?.change ?? 0, stood?.message ?? 0),
      () => null,
    )
}
