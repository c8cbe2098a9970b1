import { randomUUID } from 'node:crypto'
import type { Pool, PoolClient } from 'pg'
import { type Chance, pause } from './chance'
import { GROUPS, KINDS, PEOPLE } from './watched'

/** What writers write to, and how. */
export interface Written {
  readonly pool: Pool
  readonly chance: Chance
  /** Changes a second that all of them together aim at. */
  readonly rate: number
  /** Whether nothing is broken, so that only what a load consists of is written: nothing that is rolled back or that the database ends. */
  readonly isLoad: boolean
  readonly api: { readonly url: string; readonly token: string }
  readonly isOn: () => boolean
  /** What was refused as it may be while things are broken. */
  readonly refused: Map<string, number>
}

const INSERT = 'insert into data.jobs (kind, stage, amount, contact) values ($1, $2, $3, $4) returning id'

/** Said in a transaction that stays open for long: its changes are in the book as late ones, for nobody can be told of them before. */
const COMMITS_LATE = 'set local soak.late = on'

function newJob(chance: Chance, kinds: readonly string[] = KINDS): unknown[] {
  return [chance.pick(kinds), chance.happens(0.3) ? 'Open' : 'New', chance.happens(0.1) ? chance.below(12_000) : chance.below(100), chance.pick(PEOPLE)]
}

/** Does something again and again while the soak is on; what fails because something was broken on purpose is counted, and comes again. */
async function keepOn({ isOn, refused }: Written, deed: () => Promise<void>): Promise<void> {
  while (isOn()) {
    try {
      await deed()
    } catch (error) {
      const what = typeof error === 'object' && error !== null && 'code' in error ? String(error.code) : String(error).slice(0, 60)
      refused.set(what, (refused.get(what) ?? 0) + 1)
      await pause(200)
    }
  }
}

async function inTransaction(pool: Pool, work: (client: PoolClient) => Promise<'commit' | 'rollback'>): Promise<void> {
  const client = await pool.connect()
  let isBroken = true
  try {
    await client.query('begin')
    await client.query(await work(client))
    isBroken = false
  } finally {
    client.release(isBroken)
  }
}

/** Keeps to so many a second. */
class Pace {
  private next = Date.now()

  constructor(private readonly perSecond: number) {}

  async wait(weight = 1): Promise<void> {
    this.next = Math.max(this.next, Date.now() - 2_000) + (weight * 1_000) / this.perSecond
    const ahead = this.next - Date.now()
    if (ahead > 0) await pause(ahead)
  }
}

/** One record at a time, each in its own transaction: made, moved on, made dearer, deleted. */
function single(written: Written, share: number): Promise<void> {
  const { pool, chance, rate } = written
  const own: number[] = []
  const pace = new Pace(rate * share)
  return keepOn(written, async () => {
    await pace.wait()
    const [id] = own.length ? [chance.pick(own)] : []
    if (id === undefined || own.length < 100 || chance.happens(0.35)) {
      const { rows } = await pool.query<{ id: string }>(INSERT, newJob(chance))
      own.push(Number(rows[0]?.id))
      if (own.length > 400) own.shift()
    } else if (chance.happens(0.45)) await pool.query('update data.jobs set stage = $2 where id = $1', [id, chance.pick(['New', 'Open', 'Done'])])
    else if (chance.happens(0.5)) await pool.query('update data.jobs set amount = $2 where id = $1', [id, chance.happens(0.2) ? chance.below(12_000) : chance.below(100)])
    else if (chance.happens(0.8)) await pool.query('update data.jobs set note = $2 where id = $1', [id, `n${chance.below(1e6)}`])
    else {
      await pool.query('delete from data.jobs where id = $1', [id])
      own.splice(own.indexOf(id), 1)
    }
  })
}

/** Many records in one statement: made, moved on, and noted by the thousand. */
function bulk(written: Written): Promise<void> {
  const { pool, chance, rate } = written
  const pace = new Pace(rate * 0.55)
  let round = 0
  return keepOn(written, async () => {
    round++
    const size = Math.max(20, Math.min(2_000, Math.round(rate)))
    const [made, done] = [Math.ceil(size / 10), Math.ceil(size / 20)]
    const [isToMake, isToMove] = [round % 10 === 1, round % 10 === 6]
    await pace.wait(isToMake ? made : isToMove ? done : size)
    if (isToMake)
      await pool.query(
        `insert into data.jobs (kind, stage, amount, contact)
         select ($1::text[])[1 + floor(random() * 20)::int], 'New', floor(random() * 100), ($2::text[])[1 + floor(random() * 50)::int] from generate_series(1, $3)`,
        [KINDS, PEOPLE, made],
      )
    else if (isToMove) await pool.query(`update data.jobs set stage = 'Done' where id in (select id from data.jobs where stage <> 'Done' order by id desc limit $1)`, [done])
    else await pool.query(`update data.jobs set note = $2 where id in (select id from data.jobs order by id desc limit $1)`, [size, `b${chance.below(1e9)}`])
  })
}

/** Transactions that are rolled back, that commit late, and one that is open long. */
function transactions(written: Written): Promise<void>[] {
  const { pool, chance, isOn, isLoad } = written
  const kinds = KINDS.slice(0, 10)
  const some = async (client: PoolClient, count: number) => {
    for (let i = 0; i < count; i++) await client.query(INSERT, newJob(chance, kinds))
  }
  const wait = async (milliseconds: number) => {
    for (const end = Date.now() + milliseconds; Date.now() < end && isOn(); ) await pause(100)
  }
  const rolledBack = () =>
    keepOn(written, async () => {
      await pause(500)
      await inTransaction(pool, async (client) => {
        await some(client, 10)
        await client.query(`update data.jobs set stage = 'Done' where id in (select id from data.jobs where stage <> 'Done' order by id limit 20 for update skip locked)`)
        return 'rollback'
      })
    })
  return [
    ...(isLoad ? [] : [rolledBack()]),
    keepOn(written, () =>
      inTransaction(pool, async (client) => {
        await client.query(COMMITS_LATE)
        await some(client, 3)
        await wait(3_000 + chance.below(12_000))
        return 'commit'
      }),
    ),
    keepOn(written, () =>
      inTransaction(pool, async (client) => {
        await client.query(COMMITS_LATE)
        await some(client, 1)
        await wait(90_000)
        return 'commit'
      }),
    ),
  ]
}

/** Two that take the same two records in opposite order, so that the database ends one of them. */
function deadlocks(written: Written): Promise<void> {
  const { pool, chance } = written
  let pair: number[] = []
  return keepOn(written, async () => {
    await pause(3_000)
    if (pair.length < 2) {
      const { rows } = await pool.query<{ id: string }>(`insert into data.jobs (kind, contact) values ('K19', $1), ('K19', $1) returning id`, [PEOPLE[0]])
      pair = rows.map((r) => Number(r.id))
    }
    const both = [pair, [...pair].reverse()].map((order) =>
      inTransaction(pool, async (client) => {
        for (const id of order) {
          await client.query('update data.jobs set note = $2 where id = $1', [id, `d${chance.below(1e9)}`])
          await pause(50)
        }
        return 'commit'
      }),
    )
    const failed = (await Promise.allSettled(both)).find((r) => r.status === 'rejected')
    if (failed) throw failed.reason
  })
}

/** Calls until it is answered: with the same key, or the same press, it is done once. */
async function callUntilAnswered({ api, isOn }: Written, path: string, body: unknown, headers: Record<string, string> = {}): Promise<boolean> {
  for (let tries = 0; tries < 600 && (tries === 0 || isOn()); tries++) {
    try {
      const response = await fetch(`${api.url}${path}`, {
        method: 'POST',
        headers: { authorization: `Bearer ${api.token}`, 'content-type': 'application/json', ...headers },
        body: JSON.stringify(body),
        signal: AbortSignal.timeout(20_000),
      })
      await response.text()
      if (response.status < 500 && response.status !== 429 && response.status !== 409) return response.ok
    } catch {
      // it was killed, or is being started
    }
    await pause(300)
  }
  return false
}

/** Records made by the API, and workflows run by hand. */
function byApi(written: Written): Promise<void>[] {
  const { pool, chance } = written
  return [
    keepOn(written, async () => {
      await pause(250)
      const [kind, stage, amount, contact] = newJob(chance)
      await callUntilAnswered(written, '/api/v1/records/jobs', { kind, stage, amount, contact }, { 'idempotency-key': randomUUID() })
    }),
    keepOn(written, async () => {
      await pause(700)
      const { rows } = await pool.query<{ id: string }>('select id from data.jobs order by id desc limit 1')
      const rec = Number(rows[0]?.id)
      if (!rec) return
      const [id, workflow] = [randomUUID(), `by hand ${1 + chance.below(2)}`]
      await pool.query('insert into soak.press (id, workflow, rec) values ($1, $2, $3)', [id, workflow, rec])
      const isAnswered = await callUntilAnswered(written, `/api/v1/workflows/${encodeURIComponent(workflow)}/run`, { press: id, records: [rec] })
      if (isAnswered) await pool.query('update soak.press set answered = true where id = $1', [id])
    }),
  ]
}

/** Amounts of a figure's group, one after the other. */
function tallies(written: Written, grp: string): Promise<void> {
  const { pool, chance } = written
  return keepOn(written, async () => {
    await pause(400)
    await pool.query('update data.tallies set amount = $2 where grp = $1', [grp, chance.below(160)])
  })
}

/** Lets all of them write until the soak is off. */
export async function write(written: Written): Promise<void> {
  for (const grp of GROUPS) await written.pool.query('insert into data.tallies (name, grp, amount) values ($1, $1, 0)', [grp])
  await Promise.all([
    ...[0.15, 0.15, 0.1].map((share) => single(written, share)),
    bulk(written),
    ...transactions(written),
    ...(written.isLoad ? [] : [deadlocks(written)]),
    ...byApi(written),
    ...GROUPS.map((grp) => tallies(written, grp)),
  ])
}
