import { AsyncLocalStorage } from 'node:async_hooks'
import { isSafeNumber, parse as parseLossless } from 'lossless-json'
import type { Pool, PoolClient } from 'pg'
import pg from 'pg'
import type { ChangedBy } from '@/core/changes/change'
import { type Hosts, hostsOf } from './hosts'
import { asOptions, asRoleSettings, PLANNED_ONCE, SESSION, UNHURRIED, withoutOptions } from './session'

const INT8 = 20
const JSON_TYPE = 114
const JSONB = 3802

/** Reads JSON from the database; a number of more than 15 significant digits becomes a text, so that no digit is lost. */
export function parseJson(text: string): unknown {
  if (!/\d{16}|\d\.\d{15}/.test(text) && !/\d{8,}\.\d{8,}/.test(text)) return JSON.parse(text)
  return parseLossless(text, undefined, { parseNumber: (digits) => (isSafeNumber(digits) ? Number(digits) : digits) })
}

/** Numbers beyond what JavaScript holds exactly stay texts. */
const parseInt8 = (digits: string) => (digits.length < 16 || Number.isSafeInteger(Number(digits)) ? Number(digits) : digits)

pg.types.setTypeParser(INT8, parseInt8)
pg.types.setTypeParser(JSON_TYPE, parseJson)
pg.types.setTypeParser(JSONB, parseJson)

/** A statement that a connection parses and plans once, under its name. */
interface PreparedQuery {
  readonly name: string
  readonly text: string
  readonly values: unknown[]
}

/** Anything that can run a query: the pool, or a client inside a transaction. */
export interface Queryable {
  query(text: string | PreparedQuery, params?: unknown[]): Promise<{ rows: unknown[]; rowCount: number | null }>
}

/**
 * Whether connections go through a pooler that gives each transaction another session (PgBouncer in transaction mode): then nothing is kept in sessions, no statement prepared and
 * nothing set. What needs a session of its own has RAPPEL_SESSION_DATABASE_URL.
 */
const isPooled = () => Boolean(process.env.RAPPEL_SESSION_DATABASE_URL)

/** Sets the role itself to what sessions are set to elsewhere, for connections through a pooler. */
export async function setRole(db: Queryable): Promise<void> {
  for (const statement of asRoleSettings(SESSION)) await db.query(statement)
}

/** What a server answered that only follows another. */
const ONLY_FOLLOWS = 'This server only follows another one.'

/** What the types of pg do not tell: a client of one's own, with options of its own. */
const untyped = (value: unknown): never => value as never

/** A connection to the server of several that takes writes. */
class WritingClient extends pg.Client {
  private readonly to: { readonly hosts: Hosts; readonly url: string }

  constructor(config: pg.ClientConfig & { hosts: Hosts }) {
    const address = config.hosts.current
    const { url, options } = withoutOptions(address)
    super({ ...config, connectionString: url, options: `${options}${config.options ?? ''}` })
    this.to = { hosts: config.hosts, url: address }
  }

  override connect(): Promise<pg.Client>
  override connect(callback: (error: Error, client: pg.Client) => void): void
  override connect(callback?: (error: Error, client: pg.Client) => void): Promise<pg.Client> | undefined {
    const connected = this.connectToWriter()
    if (!callback) return connected
    connected.then(
      (client) => callback(untyped(null), client),
      (error: Error) => callback(error, this),
    )
  }

  private async connectToWriter(): Promise<pg.Client> {
    const { hosts, url } = this.to
    try {
      await super.connect()
      if (hosts.areSeveral) {
        const { rows } = await this.query<{ follows: boolean }>('select pg_is_in_recovery() as follows')
        if (rows[0]?.follows) throw Object.assign(new Error(ONLY_FOLLOWS), { code: '57P03' })
      }
      return this
    } catch (error) {
      hosts.leave(url)
      void this.end().catch(() => undefined) // one that never connected never ends
      throw error
    }
  }
}

/** How long a connection is waited for, in milliseconds: PGCONNECT_TIMEOUT, in seconds as PostgreSQL's own clients read it (libpq, environment variables), else 5 s. */
export const connectWithin = (): number => (Number(process.env.PGCONNECT_TIMEOUT) || 5) * 1_000

export interface PoolOptions {
  readonly max?: number
  readonly name?: string
  /** The server only follows another. */
  readonly isReplica?: boolean
  /** Prepared statements are looked up by keys, and planned once. */
  readonly plansOnce?: boolean
  /** How long a statement may wait for a lock, as PostgreSQL says it; as long as it takes where nothing is said. */
  readonly locksWithin?: string
  /** Nobody waits for what it answers. */
  readonly isUnhurried?: boolean
  /** What a new connection must pass before it is used. */
  readonly verify?: (db: Queryable) => Promise<void>
}

/** Makes a connection pool. Times are read and written in UTC, whatever the server's zone. */
export function createPool(url: string, options: PoolOptions = {}): Pool {
  const session = {
    ...SESSION,
    ...(options.plansOnce ? PLANNED_ONCE : {}),
    ...(options.isUnhurried ? UNHURRIED : {}),
    ...(options.locksWithin ? { lock_timeout: options.locksWithin } : {}),
  }
  const own = withoutOptions(url)
  const pool = new pg.Pool(
    untyped({
      ...(options.isReplica ? { connectionString: own.url } : { Client: WritingClient, hosts: hostsOf(url) }),
      max: options.max ?? 10,
      application_name: options.name ?? 'rappel',
      ...(isPooled() ? {} : { options: `${options.isReplica ? own.options : ''}${asOptions(session)}` }),
      connectionTimeoutMillis: connectWithin(),
      idleTimeoutMillis: 30_000,
      ...(options.verify ? { verify: asVerified(options.verify) } : {}),
    }),
  )
  return bearing(pool)
}

/** A check of new connections as pools call it. */
const asVerified = (verify: (db: Queryable) => Promise<void>) => (db: Queryable, done: (error?: Error) => void) => void verify(db).then(() => done(), done)

/** A pool whose connections may break while nobody waits for them: between two queries of a transaction, or idle; the next query reports what is wrong. */
function bearing(pool: Pool): Pool {
  pool.on('connect', (client) => client.on('error', () => undefined))
  pool.on('error', () => undefined)
  return pool
}

/** The address for what needs a session of its own: that of the database, or where a pooler stands before it its own. */
export const sessionUrl = (url: string): string => process.env.RAPPEL_SESSION_DATABASE_URL || url

/** Makes one dedicated connection, for LISTEN and locks that last as long as it does. */
export function createClient(url: string, name: string): pg.Client {
  return new WritingClient({ hosts: hostsOf(sessionUrl(url)), application_name: name, options: asOptions(SESSION), keepAlive: true })
}

/** A pool of sessions of their own, for what listens and locks in ways of its own. */
export function createSessionPool(url: string, options: { max: number; name: string }): Pool {
  return bearing(new pg.Pool(untyped({ Client: WritingClient, hosts: hostsOf(sessionUrl(url)), max: options.max, application_name: options.name, options: asOptions(SESSION) })))
}

/** All rows, none included. */
export async function many<T>(db: Queryable, text: string, params: unknown[] = []): Promise<T[]> {
  return (await db.query(text, params)).rows as T[]
}

/** The same for a statement run so often that it is worth being kept prepared, under a name that no other statement has. */
export async function manyPrepared<T>(db: Queryable, name: string, text: string, values: unknown[]): Promise<T[]> {
  return (await (isPooled() ? db.query(text, values) : db.query({ name, text, values }))).rows as T[]
}

/** The only row, or null where there is none. @throws Error when there are several */
export async function maybeOne<T>(db: Queryable, text: string, params: unknown[] = []): Promise<T | null> {
  const { rows } = await db.query(text, params)
  if (rows.length > 1) throw new Error('A query that finds at most one row found several.')
  return (rows[0] as T | undefined) ?? null
}

/** The only row. @throws Error when there is none, or several */
export async function one<T>(db: Queryable, text: string, params: unknown[] = []): Promise<T> {
  const row = await maybeOne<T>(db, text, params)
  if (row === null) throw new Error('A query that finds exactly one row found none.')
  return row
}

/** How many rows were touched. */
export async function touch(db: Queryable, text: string, params: unknown[] = []): Promise<number> {
  return (await db.query(text, params)).rowCount ?? 0
}

/** The same for a statement that is kept prepared. */
export async function touchPrepared(db: Queryable, name: string, text: string, values: unknown[]): Promise<number> {
  return (await (isPooled() ? db.query(text, values) : db.query({ name, text, values }))).rowCount ?? 0
}

/** For whom a call's transactions are done, and from where it came: what capture and the audit log put down. */
export interface Behalf {
  readonly by: ChangedBy
  readonly caller: string | null
}

const behalf = new AsyncLocalStorage<Behalf>()

/** Does work whose transactions are all in somebody's name. */
export function onBehalfOf<T>(whom: Behalf, work: () => Promise<T>): Promise<T> {
  return behalf.run(whom, work)
}

/** How a transaction sees what others commit, where not statement by statement: everything at one snapshot. */
export type Isolation = 'repeatable read' | 'repeatable read, read only'

/** Runs work in one transaction: committed when it returns, rolled back when it throws. */
export async function transaction<T>(pool: Pool, work: (db: PoolClient) => Promise<T>, isolation?: Isolation): Promise<T> {
  const client = await pool.connect()
  let broken = false
  try {
    return await transactionOn(client, () => work(client), isolation)
  } catch (error) {
    broken = await client.query('select 1').then(
      () => false,
      () => true,
    )
    throw error
  } finally {
    client.release(broken)
  }
}

/** Runs work in a transaction that is rolled back whatever comes of it: what it writes is there for it alone. */
export async function tentatively<T>(pool: Pool, work: (db: PoolClient) => Promise<T>): Promise<T> {
  const done = await transaction(pool, async (db) => {
    throw new Undone(await work(db))
  }).catch((error: unknown) => {
    if (error instanceof Undone) return error
    throw error
  })
  return done.result
}

/** Carries out what came of work that is undone. */
class Undone<T> extends Error {
  constructor(readonly result: T) {
    super()
  }
}

/** The same on a connection that one has already. */
export async function transactionOn<T>(db: Queryable, work: () => Promise<T>, isolation?: Isolation): Promise<T> {
  await db.query(isolation ? `begin isolation level ${isolation}` : 'begin')
  parts.delete(db)
  try {
    const whom = behalf.getStore()
    if (whom) await db.query(`select set_config('rappel.by', $1, true), set_config('rappel.caller', $2, true)`, [JSON.stringify(whom.by), whom.caller ?? ''])
    const result = await work()
    await db.query('commit')
    return result
  } catch (error) {
    await db.query('rollback').catch(() => undefined)
    throw error
  }
}

/** How deep in parts a transaction stands, and how many savepoints it has: more than that, where one of a part that is over is still to be released. */
interface Parts {
  depth: number
  savepoints: number
}

const parts = new WeakMap<Queryable, Parts>()

/**
 * Runs work within a transaction so that its failure undoes its own writes only; the error is thrown on. To be called within `transactionOn`. The savepoint of a part that is over is released
 * with the making of the next one's, or by the commit: each statement by itself costs the way to the server and back.
 */
export async function inSavepoint<T>(db: Queryable, work: () => Promise<T>): Promise<T> {
  const known = parts.get(db) ?? { depth: 0, savepoints: 0 }
  parts.set(db, known)
  const { depth } = known
  const name = `part_${depth}`
  await db.query(depth < known.savepoints ? `release savepoint ${name}; savepoint ${name}` : `savepoint ${name}`)
  known.depth = known.savepoints = depth + 1 // those within went with it
  try {
    return await work()
  } catch (error) {
    await db.query(`rollback to savepoint ${name}`)
    known.savepoints = depth + 1
    throw error
  } finally {
    known.depth = depth
  }
}

/** Reads with groups kept in memory: there are few, where the planner, which knows nothing of what is worked out from JSON, would sort for many. */
export function hashing<T>(pool: Pool, work: (db: PoolClient) => Promise<T>): Promise<T> {
  return transaction(pool, async (client) => {
    await client.query(`set local enable_sort = off; set local work_mem = '64MB'`)
    return work(client)
  })
}

/** Lets no statement of this transaction wait longer than two seconds for a lock; what waits in vain fails and may be tried again. */
export async function limitLockWaits(db: Queryable): Promise<void> {
  await db.query(`set local lock_timeout = '2s'`)
}

/**
 * Lets a transaction that writes to records of others wait for the first of them alone: who holds a record and waits for another may stand in a ring of such, and of that ring PostgreSQL
 * ends whoever finds it first ("Deadlocks"), which may be a person's save. What is waited for in vain fails and may be tried again. To be called before each write.
 */
export async function waitOnlyAtFirst(db: Queryable): Promise<void> {
  await db.query(
    `with so_far as materialized (select current_setting('rappel.wrote', true) = 'on' as wrote)
     select set_config('lock_timeout', case when wrote then '1ms' else '2s' end, true), set_config('rappel.wrote', 'on', true) from so_far`,
  )
}

/** A connection on which commits do not wait for the disk, for loads that can be done over. */
export async function hurriedConnection(pool: Pool): Promise<PoolClient> {
  const client = await pool.connect()
  await client.query('set synchronous_commit = off')
  return client
}

/** An identifier quoted for SQL; the only way that names from data get into statements. */
export function quote(identifier: string): string {
  return `"${identifier.replaceAll('"', '""')}"`
}

/** A table's or field's name as it may stand inside a quoted text; definitions allow nothing but snake_case. @throws Error for anything else */
export function unquoted(name: string): string {
  if (!/^[a-z][a-z0-9_]{0,58}$/.test(name)) throw new Error(`${JSON.stringify(name)} is no name of a table or field.`)
  return name
}

/** The quoted name of a table: people are kept by Rappel and seen without what signing in needs, all others are in schema data. */
export function tableName(name: string): string {
  return name === 'person' ? 'rappel.person_record' : `data.${quote(name)}`
}
