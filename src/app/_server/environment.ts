import type { Pool } from 'pg'
import { must } from '@/core/must'
import { Apart } from '@/engine/apart/apart'
import { SignInLimits } from '@/store/access/sign-in-limits'
import { createPool } from '@/store/database'
import { readNow } from '@/store/now'
import { Replica } from '@/store/replica'
import { kept } from './kept'

/** How long what somebody asked for may wait for a lock: those who ask for a table that is held are not to use up all connections. */
const LOCKS_WITHIN = '15s'

/** The web server's connection pool, one a process. */
export function pool(): Pool {
  const url = process.env.DATABASE_URL
  if (!url) throw new Error('DATABASE_URL is not set: start Rappel with npm run demo or npm start.')
  return kept('pool', () => createPool(url, { max: 12, name: 'rappel web', locksWithin: LOCKS_WITHIN }))
}

/** What time it is for everybody, whatever this machine's clock says. */
export const now = (): Promise<Date> => readNow(pool())

/** Where long reads are done: a replica, where RAPPEL_READ_DATABASE_URL names one, else the database itself. */
export function replica(): Replica {
  return kept('replica', () => new Replica(pool(), process.env.RAPPEL_READ_DATABASE_URL || null))
}

/** Where what people wrote is evaluated, so that nobody waits for it who did not ask for it. */
export function apart(): Apart {
  return kept('apart', () => new Apart({ databaseUrl: must(process.env.DATABASE_URL), baseUrl: baseUrl(), memory: Number(process.env.RAPPEL_APART_MB) || undefined }))
}

/** The limits on signing in. */
export function signInLimits(): SignInLimits {
  return kept('sign-in limits', () => new SignInLimits(pool()))
}

/** The application's address, without a slash at its end. */
export function baseUrl(): string {
  return (process.env.RAPPEL_BASE_URL ?? `http://127.0.0.1:${process.env.RAPPEL_PORT ?? 4170}`).replace(/\/$/, '')
}

/** The post room's HTTP address. */
export function postRoomUrl(): string {
  return `http://127.0.0.1:${process.env.RAPPEL_POST_ROOM_PORT ?? 4171}`
}

/** The port of an address, that of its scheme where it names none (RFC 9110, 4.2). */
function portOf(address: string): number {
  const { port, protocol } = new URL(address)
  return Number(port) || (protocol === 'https:' ? 443 : 80)
}

/**
 * The session cookie's name, the same in all web processes; it carries the port at which people reach the application, for cookies are a host's whatever the port (RFC 6265, 8.5), and two installations
 * on one machine are not to sign each other out.
 */
export const SESSION_COOKIE = `rappel_${portOf(baseUrl())}`
