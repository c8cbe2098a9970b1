import type { Limits, Workflow } from '@/core/document/document'
import { many, one } from '@/store/database'
import { INES, makeClaims, newClaimWorkflow, RAFI } from '../support/claims'
import { type Engine, goLive, startEngine, until } from '../support/engine'
import { machine } from '../support/machine'
import { killed, startWorkerProcess } from '../support/worker-process'

/** What limits hold, under faults: killed between hold and release, while digests are made, with two workers; and clocks that jump. */

const KILLS = Number(process.env.RAPPEL_KILLS ?? 4)
const CLAIMS_A_KILL = 15
const HOUR_MS = 3_600_000

let engine: Engine
beforeEach(async () => {
  engine = await startEngine()
})
afterEach(() => engine.stop())

const limited = (name: string, limits: Limits, parts: Partial<Workflow> = {}) =>
  newClaimWorkflow({
    name,
    actions: [{ name: 'tell', do: 'email', to: [{ field: 'owner' }], cc: [{ address: 'desk@x.example' }], subject: `${name} {{ claim.number }}`, body: 'B', format: 'plain' }],
    limits,
    ...parts,
  })
const clockTime = (at: Date) => at.toISOString().slice(11, 16)

test('kill -9 of two workers: every entry is in exactly one digest, what quiet hours held goes once, and one per recipient stays one', async () => {
  const { ines, rafi } = await makeClaims(engine.pool)
  const now = new Date()
  const quietHours = { from: clockTime(new Date(now.getTime() - HOUR_MS)), to: clockTime(new Date(now.getTime() + 3 * HOUR_MS)) }
  const mine = { actions: [{ name: 'tell', do: 'email' as const, to: [{ field: 'owner' }], subject: '{{ claim.number }}', body: 'B', format: 'plain' as const }] }
  await goLive(engine, limited('Gathered', { digest: { every: 'P1D' } }))
  await goLive(engine, limited('Quiet', { quietHours }, mine))
  await goLive(engine, limited('Once', { spacing: { per: 'recipient', every: 'P7D' } }, mine))
  engine.room.faults = { delayMs: 10 }
  const workers = [await startWorkerProcess(engine), await startWorkerProcess(engine)]
  let made = 0
  const comes = (share: number) =>
    engine.pool.query(
      `with come as (update rappel.message set held_until = now() - interval '1 second' where state = 'held' and held_until > now() and random() < $1 returning 1)
       select pg_notify('rappel_moment', ''), (select count(*) from come)`,
      [share],
    )
  for (let kill = 0; kill < KILLS; kill++) {
    for (let n = 0; n < CLAIMS_A_KILL; n++) await engine.pool.query('insert into data.claims (owner) values ($1)', [n % 3 ? ines : rafi])
    made += CLAIMS_A_KILL
    await new Promise((resolve) => setTimeout(resolve, 150 + Math.random() * 400))
    await comes(0.4)
    await new Promise((resolve) => setTimeout(resolve, Math.random() * 120))
    const i = kill % 2
    await killed(workers[i] as (typeof workers)[0])
    workers[i] = await startWorkerProcess(engine)
  }
  await until('all runs', async () => (await one<{ n: number }>(engine.pool, `select count(*)::int as n from rappel.run where state = 'done'`)).n === made * 3, 60_000)
  await until(
    'everything to be sent or in a digest',
    async () => {
      await comes(1)
      return (await one<{ n: number }>(engine.pool, `select count(*)::int as n from rappel.message where state not in ('sent', 'gathered')`)).n === 0
    },
    60_000,
  )
  for (const worker of workers) {
    worker.kill('SIGTERM')
    await new Promise((resolve) => worker.once('exit', resolve))
  }

  // each of an entry's recipients got it in one digest, or alone
  const entries = await many<{ recipient: string; digest: number | null; state: string }>(
    engine.pool,
    `select lower(r.address) as recipient, r.digest, r.state from rappel.message m join rappel.message_recipient r on r.message = m.id join rappel.workflow w on w.id = m.workflow
      where w.name = 'Gathered' and m.digest_row is not null`,
  )
  expect(entries).toHaveLength(made * 2)
  expect(entries.filter((e) => (e.state === 'gathered') !== (e.digest !== null))).toEqual([])
  const digests = await many<{ id: number; message_id: string; html: string; to: string }>(
    engine.pool,
    `select m.id, m.message_id, m.html, lower(r.address) as to from rappel.message m join rappel.message_recipient r on r.message = m.id where m.action = 'digest'`,
  )
  const links = (html: string) => [...html.matchAll(/\/records\/claims\/(\d+)/g)].map((match) => match[1])
  for (const { id, html, to } of digests) {
    const within = entries.filter((e) => e.digest === id)
    expect(within.every((e) => e.recipient === to)).toBe(true)
    expect(new Set(links(html)).size).toBe(within.length)
  }
  for (const address of [INES, RAFI, 'desk@x.example']) {
    const told = digests.filter((d) => d.to === address).flatMap((d) => [...new Set(links(d.html))])
    expect([address, new Set(told).size]).toEqual([address, told.length])
  }
  // what arrived is what was to be sent, doubled at most under the same Message-ID
  const arrived = await Promise.all(engine.room.store.list({}).map(async ({ id }) => /^Message-ID: (.*)\r$/m.exec((await engine.room.store.source(id)).toString())?.[1] as string))
  const sent = (await many<{ message_id: string }>(engine.pool, `select message_id from rappel.message where state = 'sent'`)).map((r) => r.message_id)
  expect(new Set(arrived)).toEqual(new Set(sent))
  const of = async (name: string) =>
    (
      await one<{ n: number }>(engine.pool, `select count(*)::int as n from rappel.message m join rappel.workflow w on w.id = m.workflow where w.name = $1 and m.state = 'sent'`, [
        name,
      ])
    ).n
  expect([await of('Quiet'), await of('Once')]).toEqual([made, 2])
}, 300_000)

test('a clock that jumps an hour ahead or back sends nothing twice and loses nothing', async () => {
  const { ines } = await makeClaims(engine.pool)
  const m = machine(engine.pool, new Date('2026-03-02T09:30:00Z'))
  await goLive(engine, limited('Gathered', { digest: { every: 'PT1H' } }), m.now())
  await goLive(engine, limited('Quiet', { quietHours: { from: '10:00', to: '12:00' } }), m.now())
  const claim = () => m.write(m.now(), (db) => db.query('insert into data.claims (owner) values ($1)', [ines]))
  let made = 0
  for (const jump of [0, 1, -1, 1, 1, -1, -1, 1, 1]) {
    m.set(new Date(m.now().getTime() + jump * HOUR_MS))
    await claim()
    await claim()
    made += 2
    await m.settle()
    await m.pass('25 minutes')
  }
  await m.pass('4 hours')
  const { open } = await one<{ open: number }>(engine.pool, `select count(*)::int as open from rappel.message where state = 'held'`)
  expect(open).toBe(0)
  const entries = await many<{ state: string; digest: number | null }>(
    engine.pool,
    `select r.state, r.digest from rappel.message m join rappel.message_recipient r on r.message = m.id join rappel.workflow w on w.id = m.workflow where w.name = 'Gathered' and m.digest_row is not null`,
  )
  expect(entries.filter((e) => e.digest !== null && e.state === 'gathered').length + entries.filter((e) => e.digest === null && e.state === 'open').length).toBe(made * 2)
  const digests = await many<{ n: number }>(engine.pool, `select count(distinct r.message)::int as n from rappel.message_recipient r where r.digest is not null group by r.digest`)
  expect(digests.reduce((sum, d) => sum + d.n, 0) + entries.filter((e) => e.digest === null).length).toBe(made * 2)
  expect(
    (
      await one<{ n: number }>(
        engine.pool,
        `select count(*)::int as n from rappel.message m join rappel.workflow w on w.id = m.workflow where w.name = 'Quiet' and m.state = 'queued'`,
      )
    ).n,
  ).toBe(made)
})
