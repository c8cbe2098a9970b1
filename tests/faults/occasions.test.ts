import { randomUUID } from 'node:crypto'
import type { Workflow } from '@/core/document/document'
import { keepPressed, tryPress } from '@/engine/occasions/press'
import { readSurroundings } from '@/engine/program'
import { many, one } from '@/store/database'
import { readWorkflowRow } from '@/store/workflows'
import { makeClaims, newClaimWorkflow } from '../support/claims'
import { BASE_URL, type Engine, goLive, startEngine, until } from '../support/engine'
import { killed, startWorkerProcess } from '../support/worker-process'

const KILLS = Number(process.env.RAPPEL_KILLS ?? 4)
const RECORDS = KILLS * 30

let engine: Engine
beforeAll(async () => {
  engine = await startEngine()
})
afterAll(() => engine.stop())

const tell: Workflow['actions'] = [{ name: 'tell', do: 'email', to: [{ field: 'owner' }], subject: '{{ claim.number }}', body: 'B', format: 'plain' }]

test('kill -9 in the middle of ticks, stays and presses neither skips nor repeats one', async () => {
  const { ines } = await makeClaims(engine.pool)
  await engine.pool.query(`insert into data.claims (owner, status) select $1, 'New' from generate_series(1, $2)`, [ines, RECORDS])
  await goLive(
    engine,
    newClaimWorkflow({
      name: 'Stays',
      cue: { kind: 'record', on: ['changed'], stays: 'PT2S' },
      conditions: { all: [{ field: 'status', op: 'is', value: 'In review' }] },
      actions: tell,
    }),
  )
  await goLive(engine, newClaimWorkflow({ name: 'Clock', cue: { kind: 'timetable', cron: '* * * * *', per: 'record' }, firing: 'every', actions: tell }))
  await goLive(engine, newClaimWorkflow({ name: 'Hand', cue: { kind: 'by hand' }, actions: tell }))
  let worker = await startWorkerProcess(engine)
  const row = await readWorkflowRow(engine.pool, 'Hand')
  if (!row?.live || row.version === null) throw new Error('It is not live.')
  const by = { kind: 'person' as const, person: ines, name: 'Ines Okafor' }
  const surroundings = await readSurroundings(engine.pool, BASE_URL)
  let pressed = 0
  for (let kill = 0; kill < KILLS; kill++) {
    await engine.pool.query(`update data.claims set status = 'In review' where id between $1 and $2`, [kill * 30 + 1, kill * 30 + 30])
    const records = Array.from({ length: 20 }, (_, i) => kill * 20 + i + 1)
    const asked = { press: randomUUID(), records, asked: {}, by, at: new Date() }
    const tried = await tryPress(engine.pool, row.live, asked, surroundings, true)
    if (!('pressed' in tried)) throw new Error('It cannot be pressed.')
    const runs = await keepPressed(engine.pool, { ...row, version: row.version }, asked, tried.pressed)
    expect(await keepPressed(engine.pool, { ...row, version: row.version }, asked, tried.pressed)).toEqual(runs) // sent twice, it runs once
    pressed += runs.length
    await new Promise((resolve) => setTimeout(resolve, 200 + Math.random() * 900))
    await killed(worker)
    worker = await startWorkerProcess(engine)
  }
  // what a worker held when it died comes back after a while: that while passes here at once
  await engine.pool.query(`update rappel.run set next_at = now() where state = 'waiting'`)
  const of = (name: string) => `(select count(*) from rappel.run r join rappel.workflow w on w.id = r.workflow where w.name = '${name}' and r.state = 'done')`
  await until('all stays and presses', async () => {
    const done = await one<{ stays: number; hand: number }>(engine.pool, `select ${of('Stays')} as stays, ${of('Hand')} as hand`)
    return done.stays === RECORDS && done.hand === pressed
  })
  await engine.pool.query('update rappel.timetable set next_at = null') // no more of them; what was begun goes on
  await until('the ticks', async () => (await one<{ open: number }>(engine.pool, 'select count(*) as open from rappel.tick where done_at is null')).open === 0)
  const ticks = await many<{ fired: number; runs: number; records: number; messages: number }>(
    engine.pool,
    `select t.fired, count(r.id) as runs, count(distinct r.rec) as records, (select count(*) from rappel.message m join rappel.run x on x.id = m.run where x.workflow = t.workflow and x.changed_at = t.at) as messages
       from rappel.tick t join rappel.run r on r.workflow = t.workflow and r.changed_at = t.at group by t.id`,
  )
  for (const tick of ticks) expect(tick).toEqual({ fired: RECORDS, runs: RECORDS, records: RECORDS, messages: RECORDS })
  const doubled = await many(engine.pool, 'select run from rappel.message group by run having count(*) <> 1')
  expect(doubled).toEqual([])
  expect(await one(engine.pool, `select count(*) as open from rappel.stay where outcome is distinct from 'fired'`)).toEqual({ open: 0 })
  worker.kill('SIGTERM')
  await new Promise((resolve) => worker.once('exit', resolve))
}, 300_000)
