import type { Pool, PoolClient } from 'pg'
import { noteFirstAttempts } from '@/store/attempts'
import { many, one, transaction } from '@/store/database'
import { claimMessages, claimNear, EVER, findMailFloor } from '@/store/mail/claim'
import { freshDatabase } from '../support/database'

/**
 * While a transaction stays open for long (a dump, a forgotten session), indexes hold all that was sent since it began (PostgreSQL 15, 25.1 "Routine Vacuuming"): what is claimed is found without
 * passing over that each time.
 */

const SENT = 2_000

let db: Awaited<ReturnType<typeof freshDatabase>>
let pool: Pool
let open: PoolClient
beforeEach(async () => {
  db = await freshDatabase()
  pool = db.pool
  await pool.query(`insert into rappel.workflow (name, draft) select 'W' || i, '{}' from generate_series(1, 30) i`)
  open = await pool.connect()
  await open.query('begin isolation level repeatable read, read only')
  await open.query('select from rappel.message')
  await queue(SENT, '1 hour')
  await pool.query(`update rappel.message set state = 'sent', finished_at = now()`)
})
afterEach(async () => {
  await open.query('rollback')
  open.release()
  await db.drop()
})

/** Queues messages of all workflows that became due so long ago. */
const queue = (count: number, ago: string, workflow = 'i % 30 + 1') =>
  pool.query(
    `insert into rappel.message (workflow, action, message_id, sender, subject, html, body, state, next_at, changed_at, created_at)
     select ${workflow}, 'tell', gen_random_uuid()::text, '{}', 'S', '', '', 'queued', now() - $2::interval + i * interval '1 microsecond', now(), now() from generate_series(1, $1::int) i`,
    [count, ago],
  )

/** Entries of the indexes of what waits that work reads, dead ones too; counted in its session, which may have read some before. */
const entriesRead = async <T>(work: (db: PoolClient) => Promise<T>): Promise<{ done: T; read: number }> =>
  transaction(pool, async (client) => {
    const before = await readBy(client)
    const done = await work(client)
    return { done, read: (await readBy(client)) - before }
  })

async function readBy(client: PoolClient): Promise<number> {
  const { read } = await one<{ read: number }>(
    client,
    `select sum(pg_stat_get_xact_tuples_returned(i.indexrelid))::int as read from pg_index i where i.indrelid = 'rappel.message'::regclass and pg_get_indexdef(i.indexrelid) like '%queued%'`,
  )
  return read
}

test('a claim reads what became due since the time before which nothing is, and not all that was sent', async () => {
  await queue(60, '3 seconds')
  const now = new Date()
  const floor = await findMailFloor(pool, now)
  expect(now.getTime() - floor.getTime()).toBeGreaterThanOrEqual(60_000) // what is written by transactions that are open for a moment may have been due before
  const near = await entriesRead((client) => claimNear(client, 1, 10, now, floor))
  expect([near.done.messages.length, near.done.isMore]).toEqual([10, true])
  expect(near.read).toBeLessThan(200)
  const whole = await entriesRead((client) => claimMessages(client, 1, 40, now, -1, floor))
  expect(whole.done.messages.length).toBeGreaterThan(20) // of the twenty workflows whose turn it is
  expect(whole.read).toBeLessThan(400)
  const all = await entriesRead((client) => claimMessages(client, 1, 40, now, -1, EVER))
  expect(all.read).toBeGreaterThan(SENT / 2) // which is what it would be
})

test('the time before which nothing is due is that of the oldest that waits, however long it does, and all of it is claimed', async () => {
  await queue(3, '50 minutes')
  await queue(3, '2 seconds')
  const now = new Date()
  const floor = await findMailFloor(pool, now)
  const { messages, isMore } = await claimNear(pool, 1, 40, now, floor)
  expect([messages.length, isMore]).toEqual([6, false])
  expect(await many(pool, `select from rappel.message where state = 'queued'`)).toEqual([])
})

test('of a few that wait, each workflow gets its turn; that much of one waits is told', async () => {
  await queue(300, '5 seconds', '1')
  await queue(2, '4 seconds', '2')
  const now = new Date()
  const floor = await findMailFloor(pool, now)
  expect((await claimNear(pool, 1, 40, now, floor)).isMore).toBe(true)
  const { messages } = await claimMessages(pool, 1, 10, now, -1, floor)
  expect(messages.filter((m) => m.workflow === 'W2')).toHaveLength(2)
})

test('the oldest change that waits is found without passing over what was handled since', async () => {
  await pool.query(`insert into rappel.queue (shard, change_id, tbl, rec, xid) select i % 4, i, 'claims', to_jsonb(i), '5' from generate_series(1, 4000) i`)
  await pool.query('delete from rappel.queue')
  await pool.query('analyze rappel.queue')
  await pool.query(`insert into rappel.queue (shard, change_id, tbl, rec, xid) select i % 4, 4000 + i, 'claims', to_jsonb(i), '6' from generate_series(1, 8) i`)
  const read = await transaction(pool, async (client) => {
    const count = async () =>
      (await one<{ n: number }>(client, `select sum(pg_stat_get_xact_tuples_returned(i.indexrelid))::int as n from pg_index i where i.indrelid = 'rappel.queue'::regclass`)).n
    const before = await count()
    const heads = await noteFirstAttempts(
      client,
      [0, 1, 2, 3].map((shard) => ({ shard, above: 4_000, noted: null })),
    )
    expect(heads.map((h) => h.change).sort()).toEqual([4_001, 4_002, 4_003, 4_004])
    return (await count()) - before
  })
  expect(read).toBeLessThan(50)
})
