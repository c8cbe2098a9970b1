import { Dispatcher } from '@/engine/dispatch'
import { keepBounce } from '@/store/bounces'
import { queueOwn } from '@/store/mail/own'
import { listFailed, listFirings, listMostWritten, readReach, readTally } from '@/store/today'
import { makeClaims, newClaimWorkflow } from '../support/claims'
import { freshDatabase } from '../support/database'
import { BASE_URL, goLive } from '../support/engine'

let db: Awaited<ReturnType<typeof freshDatabase>>
beforeEach(async () => {
  db = await freshDatabase()
})
afterEach(() => db.drop())

const MIDNIGHT = new Date('2026-11-28T00:00:00Z')
const after = (seconds: number) => new Date(MIDNIGHT.getTime() + seconds * 1_000)

test('firings are counted in whiles, however many there are, with the first few of each; mail by who got it', async () => {
  const { pool } = db
  const { ines } = await makeClaims(pool)
  await goLive({ pool }, newClaimWorkflow())
  const dispatcher = new Dispatcher(pool, BASE_URL, () => new Date())
  await pool.query('insert into data.claims (owner, amount) select $1, g from generate_series(1, 6) g', [ines])
  for (let busy = await dispatcher.busyShards(); busy.length; busy = await dispatcher.busyShards()) await dispatcher.handleShards(busy)
  expect(await listMostWritten(pool, new Date(0), 5)).toEqual([]) // what waits was not written yet
  expect(await readReach(pool, new Date(0))).toMatchObject({ sent: 0, people: 0 })
  await pool.query(`update rappel.message set state = 'sent', attempt = 1, finished_at = now()`)
  await pool.query(`update rappel.message_recipient set state = 'sent'`)
  expect(await readTally(pool, new Date(0))).toMatchObject({ waiting: 0 })
  expect(await readReach(pool, new Date(0))).toMatchObject({ sent: 6, people: 1 })
  expect(await listMostWritten(pool, new Date(0), 5)).toMatchObject([{ name: 'Ines Okafor', messages: 6 }])
  await pool.query(`update rappel.message set held_for = 'digest', changed_at = now() - interval '9 hours' where id = (select min(id) from rappel.message)`)
  expect((await readReach(pool, new Date(0))).slowest).toBeLessThan(3_600_000) // what a digest gathered was not slow

  // Six runs, each a thousand times, a second after the other; a while is 101 seconds, rounded around its middle.
  await pool.query(
    `insert into rappel.run overriding system value
     select (jsonb_populate_record(r, jsonb_build_object('id', r.id * 100000 + g, 'key', r.key || '-' || g, 'change_id', r.change_id + 10 * g, 'at', $1::timestamptz + g * interval '1 second', 'changed_at', $1::timestamptz + g * interval '1 second'))).*
       from rappel.run r cross join generate_series(1, 1000) g`,
    [MIDNIGHT],
  )
  await pool.query(`delete from rappel.run where id < 100000`)
  const firings = await listFirings(pool, MIDNIGHT, 101, 4)
  expect(firings.map((f) => f.count)).toEqual([300, ...Array(9).fill(606), 246])
  expect(firings.slice(0, 2).map((f) => f.first.map((at) => at.getTime()))).toEqual([1, 51].map((second) => [0, 1, 2, 3].map((more) => after(second + more).getTime())))
  expect(await listFirings(pool, after(990), 100, 4)).toMatchObject([{ workflow: newClaimWorkflow().name, count: 66 }])
})

test('mail of several workflows that failed is told as well, as what is of none', async () => {
  const { pool } = db
  const mail = { messageId: '<d@x.example>', to: { address: 'a@x.example', name: 'A' }, subject: '3 alerts', html: '', text: '', thread: null }
  await queueOwn(pool, 'digest', [mail], { address: 'r@x.example', name: 'R' }, MIDNIGHT)
  await pool.query(`update rappel.message set state = 'failed', finished_at = now()`)
  await pool.query(`update rappel.message_recipient set state = 'failed', reply = '550 no'`)
  expect(await readTally(pool, MIDNIGHT)).toMatchObject({ failed: 1 })
  expect(await listFailed(pool, MIDNIGHT, 5)).toEqual([expect.objectContaining({ workflow: null, run: null, title: '3 alerts', reason: 'a@x.example: 550 no' })])
})

test('mail that comes back days after it was sent has failed on the day on which it came back', async () => {
  const { pool } = db
  const mail = { messageId: '<d@x.example>', to: { address: 'a@x.example', name: 'A' }, subject: '3 alerts', html: '', text: '', thread: null }
  const [id] = (await queueOwn(pool, 'digest', [mail], { address: 'r@x.example', name: 'R' }, MIDNIGHT)).values()
  await pool.query(`update rappel.message set state = 'sent', finished_at = now() - interval '5 days'`)
  await pool.query(`update rappel.message_recipient set state = 'sent'`)
  const today = new Date()
  await keepBounce(pool, id as number, { address: 'a@x.example', action: 'failed', status: '5.4.7', diagnostic: 'delivery time expired' }, new Date(today.getTime() + 1))
  expect(await readTally(pool, today)).toMatchObject({ failed: 1 })
  expect(await listFailed(pool, today, 5)).toEqual([expect.objectContaining({ reason: 'a@x.example: Came back: 5.4.7 delivery time expired' })])
})
