import { Dispatcher } from '@/engine/dispatch'
import { Stays } from '@/engine/occasions/stays'
import { Timetables } from '@/engine/occasions/timetables'
import { busyShards } from '@/store/changes'
import { one } from '@/store/database'
import { makeClaims, newClaimWorkflow } from '../support/claims'
import { freshDatabase } from '../support/database'
import { BASE_URL, goLive } from '../support/engine'
import { median, report, time } from './measure'

const STAYS = 10_000
const RECORDS = 100_000
const WAITING = 1_000_000
const POLLS = 50
const tell = [{ name: 'tell', do: 'email' as const, to: [{ field: 'owner' }], subject: '{{ claim.number }}', body: 'B', format: 'plain' as const }]

/** Waits that are over, against changes that fire at once and send the same mail. */
async function dueStays(): Promise<void> {
  const { pool, drop } = await freshDatabase()
  const { ines } = await makeClaims(pool)
  let at = new Date()
  const clock = () => at
  const dispatcher = new Dispatcher(pool, BASE_URL, clock)
  const stays = new Stays(pool, dispatcher, clock)
  const drain = () =>
    time(async () => {
      for (let busy = await busyShards(pool); busy.length; busy = await busyShards(pool)) for (const shard of busy) await dispatcher.handleShard(shard)
    })
  const insert = () => pool.query(`insert into data.claims (status, owner) select 'In review', $1 from generate_series(1, ${STAYS})`, [ines])
  await goLive({ pool }, newClaimWorkflow({ actions: tell }))
  await insert()
  const atOnce = STAYS / ((await drain()) / 1_000)
  await pool.query('update rappel.workflow set name = name') // the next is the only one that is live
  await pool.query('delete from rappel.workflow')
  await pool.query('select rappel.next_generation()')
  await goLive(
    { pool },
    newClaimWorkflow({
      name: 'S',
      cue: { kind: 'record', on: ['created'], stays: 'P1D' },
      conditions: { all: [{ field: 'status', op: 'is', value: 'In review' }] },
      actions: tell,
    }),
  )
  await insert()
  await drain()
  at = new Date(at.getTime() + 2 * 86_400_000)
  const spent = await time(async () => {
    while ((await stays.handle()) > 0);
  })
  const rate = STAYS / (spent / 1_000)
  report('waits that are over, each with a run and a mail', `${Math.round(rate)} /s`, 'at least 500 /s', rate >= 500)
  report('the same, share of changes that fire at once', (rate / atOnce).toFixed(2), 'at least 0.5', rate / atOnce >= 0.5)
  await drop()
}

/** A moment of a timetable over many records, against one statement that notes them all. */
async function tick(): Promise<void> {
  const { pool, drop } = await freshDatabase()
  const { ines } = await makeClaims(pool)
  let at = new Date('2026-03-02T06:00:00Z')
  const clock = () => at
  const dispatcher = new Dispatcher(pool, BASE_URL, clock)
  const timetables = new Timetables(pool, dispatcher, clock)
  await pool.query(`insert into data.claims (status, owner) select 'New', $1 from generate_series(1, ${RECORDS})`, [ines])
  await pool.query('delete from rappel.queue')
  await goLive(
    { pool },
    newClaimWorkflow({ cue: { kind: 'timetable', cron: '0 7 * * *', per: 'record' }, conditions: { all: [{ field: 'status', op: 'is', value: 'New' }] }, actions: tell }),
    at,
  )
  while ((await timetables.handle()) > 0);
  at = new Date('2026-03-02T07:00:00Z')
  let most = 0
  const spent = await time(async () => {
    while ((await timetables.handle()) > 0) most = Math.max(most, process.memoryUsage().heapUsed)
  })
  const raw = await time(() =>
    pool.query(`insert into rappel.fitted (workflow, version, rec, looked_at) select (select id from rappel.workflow), 2, id, now() from data.claims where status = 'New'`),
  )
  const { fitted } = await one<{ fitted: number }>(pool, 'select fitted from rappel.tick where fires')
  if (fitted !== RECORDS) throw new Error(`Only ${fitted} fitted.`)
  report(`a moment of a timetable over ${RECORDS.toLocaleString('en')} records that fitted before`, `${(spent / 1_000).toFixed(1)} s`, 'at most 30 s', spent <= 30_000)
  report('the same, times one statement that notes them', (spent / raw).toFixed(1), 'at most 20', spent / raw <= 20)
  report('memory meanwhile', `${Math.round(most / 1e6)} MB`, 'under 300 MB', most < 300e6)
  await drop()
}

/** What waits that are not over cost, against none. */
async function idle(): Promise<void> {
  const { pool, drop } = await freshDatabase()
  await makeClaims(pool)
  await goLive(
    { pool },
    newClaimWorkflow({ name: 'S', cue: { kind: 'record', on: ['created'], stays: 'P1D' }, conditions: { all: [{ field: 'status', op: 'is', value: 'New' }] }, actions: tell }),
  )
  const stays = new Stays(pool, new Dispatcher(pool, BASE_URL, () => new Date()), () => new Date())
  const polls = async () => {
    const spent: number[] = []
    for (let i = 0; i < POLLS; i++)
      spent.push(
        await time(async () => {
          await stays.handle()
          await stays.next()
        }),
      )
    return median(spent)
  }
  const none = await polls()
  await pool.query(
    `insert into rappel.stay (workflow, version, key, change_id, tbl, rec, title, by, since, due_at, shard)
     select w.id, 1, 'stay ' || g, g, 'claims', g, 'CL', '{"kind":"system","person":null,"name":"x"}', now(), now() + interval '1 day' + g * interval '1 second', g % 16
       from rappel.workflow w, generate_series(1, ${WAITING}) g`,
  )
  await pool.query('vacuum analyze rappel.stay')
  const many = await polls()
  report(
    `asking whether any of ${WAITING.toLocaleString('en')} waits is over, times with none`,
    `${(many / none).toFixed(1)} (${many.toFixed(1)} ms)`,
    'at most 3',
    many / none <= 3,
  )
  await drop()
}

/** What the clock sets off: waits that are over, timetables, and waits that are not. */
export async function benchOccasions(): Promise<void> {
  await dueStays()
  await tick()
  await idle()
}
