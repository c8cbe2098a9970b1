import { existsSync, rmSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import pg, { type Pool } from 'pg'
import { SHARDS, setShards } from '@/store/shards'
import type { Wire } from '../support/servers/wire'
import { type Chance, pause } from './chance'
import type { Part } from './installation'
import { FAULTS, type FaultNow } from './sink'

/** What can be broken. */
export interface Breakable {
  readonly pool: Pool
  readonly databaseUrl: string
  readonly parts: readonly Part[]
  readonly sink: Part
  readonly wire: Wire
  readonly chance: Chance
  readonly isOn: () => boolean
  /** Kills the database server as kill -9 does and starts it again. */
  readonly killDatabase: () => Promise<void>
  /** A folder on the database's disk that may be filled up; null where it is no disk of its own. */
  readonly disk: string | null
}

/** How often each thing was done, and when the database could not be reached by workers, or nothing delivered. */
export interface Broken {
  readonly counts: Map<string, number>
  /** From when to when workers had no database. */
  readonly away: { from: number; to: number }[]
}

/** Breaks things one after the other until the soak is off: a kill every `everyMs`, and beside them faults of mail, of the network, of the disk and of connections. */
export async function breakThings(what: Breakable, everyMs: number): Promise<Broken> {
  const broken: Broken = { counts: new Map(), away: [] }
  const count = (name: string) => broken.counts.set(name, (broken.counts.get(name) ?? 0) + 1)
  await Promise.all([
    kills(what, everyMs, count, broken),
    mailFaults(what, count),
    networkCuts(what, count, broken),
    usedUp(what, count),
    diskFull(what, count),
    shards(what, count),
  ])
  return broken
}

type Count = (name: string) => unknown

async function whileOn({ isOn }: Breakable, everyMs: number, deed: () => Promise<void> | void): Promise<void> {
  while (isOn()) {
    for (const end = Date.now() + everyMs; Date.now() < end && isOn(); ) await pause(Math.min(100, everyMs))
    if (isOn()) await Promise.resolve(deed()).catch(() => undefined)
  }
}

async function kills(what: Breakable, everyMs: number, count: Count, broken: Broken): Promise<void> {
  const { chance, parts, pool } = what
  const targets = [...parts, what.sink]
  await whileOn(what, everyMs, async () => {
    if (chance.happens(0.04)) {
      const from = Date.now()
      await what.killDatabase()
      broken.away.push({ from, to: Date.now() })
      count('PostgreSQL killed')
    } else if (chance.happens(0.06)) {
      const { rows } = await pool.query<{ pid: number }>(
        `select pid from pg_stat_activity where application_name like 'rappel%' and pid <> pg_backend_pid() order by random() limit 1`,
      )
      if (rows[0]) process.kill(rows[0].pid, 'SIGKILL') // all its connections end, and it recovers
      count('a connection’s process of PostgreSQL killed')
    } else {
      const part = chance.pick(targets)
      if (part.kill()) count(`${part.name} killed`)
    }
  })
}

async function mailFaults(what: Breakable, count: Count): Promise<void> {
  const { chance, sink } = what
  const send = (now: FaultNow) => sink.child?.connected && sink.child.send(now, () => undefined) // it may have been killed a moment ago
  await whileOn(what, 4_000, () => {
    const fault = chance.happens(0.35) ? 'none' : chance.pick(FAULTS)
    send({ fault, chance: fault.startsWith('stall') ? 0.02 : chance.pick([0.05, 0.3, 0.9]) })
    count(`mail: ${fault}`)
  })
  send({ fault: 'none', chance: 0 })
}

async function networkCuts(what: Breakable, count: Count, broken: Broken): Promise<void> {
  await whileOn(what, 45_000, async () => {
    const from = Date.now()
    what.wire.cut()
    await pause(1_000 + what.chance.below(5_000))
    what.wire.mend()
    broken.away.push({ from, to: Date.now() })
    count('network to the database cut')
  })
  what.wire.mend()
}

async function usedUp(what: Breakable, count: Count): Promise<void> {
  await whileOn(what, 70_000, async () => {
    const clients: pg.Client[] = []
    try {
      for (;;) {
        const client = new pg.Client({ connectionString: what.databaseUrl })
        client.on('error', () => undefined)
        await client.connect()
        clients.push(client)
      }
    } catch {
      count('connections used up')
    }
    await pause(4_000)
    await Promise.all(clients.map((client) => client.end().catch(() => undefined)))
  })
}

async function diskFull(what: Breakable, count: Count): Promise<void> {
  const { disk } = what
  if (disk === null) return
  const fill = join(disk, 'fill')
  await whileOn(what, 100_000, async () => {
    const block = Buffer.alloc(16_000_000)
    try {
      for (let i = 0; i < 2_000; i++) writeFileSync(fill, block, { flag: 'a' })
    } catch {
      count('disk full')
    }
    await pause(3_000)
    rmSync(fill, { force: true })
  })
  if (existsSync(fill)) rmSync(fill, { force: true })
}

/** Spreads changes over another number of shards, while everything is written, decided and broken. */
async function shards({ pool, chance, isOn }: Breakable, count: Count): Promise<void> {
  while (isOn()) {
    for (const end = Date.now() + 15_000 + chance.below(30_000); Date.now() < end && isOn(); ) await pause(200)
    const what = await setShards(pool, chance.pick(SHARDS)).catch(() => 'not now')
    if (what === 'set') count('number of shards changed')
  }
}
