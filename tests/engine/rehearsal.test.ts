import fc from 'fast-check'
import type { Pool } from 'pg'
import { compileCondition } from '@/core/conditions/compile'
import type { Workflow } from '@/core/document/document'
import { LoadedLookups } from '@/core/paths/lookups'
import { baseRoots } from '@/core/paths/roots'
import { aliveLines } from '@/core/rehearsal/lines'
import { review } from '@/core/review/review'
import { compileWorkflow } from '@/core/workflow/evaluate'
import { factsOf, isCued } from '@/core/workflow/judge'
import { Dispatcher } from '@/engine/dispatch'
import { readReviewSetting, readSurroundings } from '@/engine/program'
import { historyQuery, narrow } from '@/engine/rehearsal/narrow'
import { rehearse } from '@/engine/rehearsal/rehearse'
import type { RehearsalOptions } from '@/engine/rehearsal/result'
import { busyShards, listChanges } from '@/store/changes'
import { many, one, transaction } from '@/store/database'
import { makeBoats, tripWorkflow } from '../support/boats'
import { INES, makeClaims, newClaimWorkflow } from '../support/claims'
import { conditionOver } from '../support/conditions'
import { freshDatabase } from '../support/database'
import { BASE_URL, goLive } from '../support/engine'

let db: Awaited<ReturnType<typeof freshDatabase>>
let pool: Pool
beforeEach(async () => {
  db = await freshDatabase()
  pool = db.pool
})
afterEach(() => db.drop())

const SPAN = { from: new Date(Date.now() - 86_400_000), to: new Date(Date.now() + 3_600_000) }

async function rehearsed(workflow: Workflow, options: Partial<RehearsalOptions> = {}) {
  const findings = review(workflow, await readReviewSetting(pool))
  return rehearse(pool, workflow, findings, await readSurroundings(pool, BASE_URL), { span: SPAN, samples: 10_000, live: null, ...options })
}

/** Handles whatever waits, as a worker does, up to the queued mail. */
async function drain(dispatcher: Dispatcher): Promise<void> {
  for (let busy = await busyShards(pool); busy.length; busy = await busyShards(pool)) for (const shard of busy) await dispatcher.handleShard(shard)
}

/** What live runs of a workflow queued: change, addresses and subject of each message, in order. */
function queued(workflow: string): Promise<{ change: number; to: string; subject: string }[]> {
  return many(
    pool,
    `select r.change_id as change, (select string_agg(x.address, ',' order by x.position) from rappel.message_recipient x where x.message = m.id) as to, m.subject
       from rappel.message m join rappel.run r on r.id = m.run join rappel.workflow w on w.id = r.workflow where w.name = $1 order by r.change_id, m.id`,
    [workflow],
  )
}

/** The same of a rehearsal. */
async function wouldQueue(workflow: Workflow) {
  const { samples } = await rehearsed(workflow)
  return samples
    .flatMap((s) => s.messages.map((m) => ({ change: s.change.id, to: [...m.to, ...m.cc, ...m.bcc].map((r) => r.address).join(','), subject: m.subject })))
    .sort((a, b) => a.change - b.change)
}

/** Some work in the office: records made, changed, changed twice in one transaction and removed; people who move on meanwhile. Calls after each transaction. */
async function traffic(people: { ines: number; rafi: number }, after: () => Promise<void>): Promise<void> {
  const then = async (work: (run: (text: string, params?: unknown[]) => Promise<unknown>) => Promise<unknown>) => {
    await transaction(pool, (tx) => work((text, params) => tx.query(text, params)))
    await after()
  }
  for (let i = 0; i < 14; i++)
    await then((run) =>
      run('insert into data.claims (number, status, amount, owner, note, due) values ($1, $2, $3, $4, $5, $6)', [
        ['a', 'ab', '50%', 'Ärger', ''][i % 5],
        ['New', 'In review', 'Settled'][i % 3],
        [null, -3, 0, 0.3, 2, 10][i % 6],
        [people.ines, people.rafi, null][(i + 1) % 3],
        [null, 'a', 'AB'][i % 3],
        [null, '2026-03-01', '2026-12-31'][i % 3],
      ]),
    )
  await then((run) => run(`update rappel.person set team = 'Quays', manager = id where id = $1`, [people.ines]))
  for (let i = 1; i <= 14; i++) await then((run) => run('update data.claims set amount = coalesce(amount, 1) * 2, note = $2 where id = $1', [i, i % 2 ? 'seen' : null]))
  await then(async (run) => {
    await run(`update data.claims set status = 'In review' where id <= 6`)
    await run(`update data.claims set status = 'Settled', amount = 10 where id <= 6`)
  })
  await then((run) => run(`update rappel.person set team = 'Claims', manager = null where id = $1`, [people.rafi]))
  await then((run) => run('update data.claims set owner = $1 where id between 3 and 8', [people.rafi]))
  await then((run) => run(`update data.claims set status = 'Settled' where id > 8`))
  await then((run) => run('delete from data.claims where id in (2, 7)'))
}

test('200 generated workflows, live over traffic and rehearsed over the same span, fire for the same changes and write the same to the same people', async () => {
  const people = await makeClaims(pool)
  const conditions = fc.sample(conditionOver(true), { numRuns: 200, seed: 41 })
  const workflows = conditions.map((condition, i) =>
    newClaimWorkflow({
      name: `G${i}`,
      cue: {
        kind: 'record',
        on: i % 4 === 0 ? ['created', 'changed', 'deleted'] : i % 4 === 1 ? ['changed'] : ['created', 'changed'],
        ...(i % 7 === 0 ? { fields: ['status', 'amount'] } : {}),
      },
      conditions: condition,
      firing: i % 3 === 0 ? 'every' : 'entering',
      actions: [
        { name: 'tell', do: 'email', to: [{ field: 'owner' }], cc: [{ managerOf: 'owner' }], subject: '{{ claim.number }} {{ claim.status }} {{ claim.owner.team }}', body: 'B' },
      ],
    }),
  )
  const setting = await readReviewSetting(pool)
  const sound = workflows.filter((w) => review(w, setting).length === 0)
  expect(sound.length).toBeGreaterThan(100)
  for (const workflow of sound) await goLive({ pool }, workflow)
  const dispatcher = new Dispatcher(pool, BASE_URL, () => new Date())
  await traffic(people, () => drain(dispatcher))
  let mails = 0
  for (const workflow of sound) {
    const really = await queued(workflow.name)
    mails += really.length
    expect([workflow.conditions, await wouldQueue(workflow)]).toEqual([workflow.conditions, really])
  }
  expect(mails).toBeGreaterThan(500)
}, 300_000)

test('the counts at each line, found by the database or one by one, are those of testing every change by hand', async () => {
  const people = await makeClaims(pool)
  await traffic(people, async () => undefined)
  const surroundings = await readSurroundings(pool, BASE_URL)
  const { changes } = await listChanges(pool, surroundings.schema, { table: 'claims', limit: 10_000 })
  const lookups = new LoadedLookups(new Map())
  let exact = 0
  for (const condition of fc.sample(conditionOver(true), { numRuns: 150, seed: 7 })) {
    const workflow = newClaimWorkflow({ cue: { kind: 'record', on: ['created', 'changed', 'deleted'] }, conditions: condition, firing: 'every', actions: [] })
    if (JSON.stringify(condition).includes('owner.')) continue
    const compiled = compileWorkflow(workflow, surroundings)
    const { narrowing: found } = await narrow(pool, compiled, await historyQuery(pool, compiled, SPAN))
    const facts = changes.filter((c) => isCued(compiled, c)).map((c) => factsOf(surroundings, c, lookups))
    const count = (test: (f: (typeof facts)[number]) => boolean) => facts.filter(test).length
    const lines = aliveLines(condition).map(({ path, alive }) => ({
      path,
      count: count(compileCondition(alive, compiled.table, { ...surroundings, roots: baseRoots(compiled.table) }, '/x').test),
    }))
    expect([condition, found.cued, found.firings, found.survivors]).toEqual([condition, facts.length, count((f) => compiled.condition?.test(f) ?? true), lines])
    exact++
  }
  expect(exact).toBeGreaterThan(80)
}, 120_000)

test('a rehearsal adds up firings, mail by day and by person, records that repeat, and whom nobody could be found for; against SQL written by hand', async () => {
  const people = await makeClaims(pool)
  await traffic(people, async () => undefined)
  const workflow = newClaimWorkflow({
    cue: { kind: 'record', on: ['created', 'changed'] },
    conditions: {
      all: [
        { field: 'amount', op: 'at least', value: 0 },
        { field: 'status', op: 'is not', value: 'New' },
      ],
    },
    firing: 'every',
  })
  const found = await rehearsed(workflow, { samples: 3 })
  const byHand = await one<{ firings: number; nobody: number; repeats: number; ines: number }>(
    pool,
    `with net as (
       select c.* from rappel.change c where c.tbl = 'claims' and c.kind <> 'deleted'
          and not exists (select from rappel.change x where x.tbl = 'claims' and x.rec = c.rec and x.xid = c.xid and x.id > c.id)),
     fired as (select rec, (after ->> 'owner')::bigint as owner, id from net where (after ->> 'amount')::numeric >= 0 and after ->> 'status' is distinct from 'New')
     select (select count(*) from fired) as firings, (select count(*) from fired where owner is null) as nobody,
            (select count(*) from (select rec from fired group by rec having count(*) > 1) r) as repeats, (select count(*) from fired where owner = $1) as ines`,
    [people.ines],
  )
  expect(found).toMatchObject({ firings: byHand.firings, messages: byHand.firings - byHand.nobody, nobody: { count: byHand.nobody } })
  expect(found.repeats.length).toBe(byHand.repeats)
  expect(found.byDay.reduce((n, d) => n + d.firings, 0)).toBe(byHand.firings)
  expect(found.byRecipient.find((r) => r.address === INES)?.messages).toBe(byHand.ines)
  expect(found.samples.length).toBe(3)
  expect(found.nobody.reasons[0]?.message).toMatch(/blank/)
})

test('against the version that is live, firings that the draft adds and those it drops are told', async () => {
  const people = await makeClaims(pool)
  await traffic(people, async () => undefined)
  const status = (value: string) =>
    newClaimWorkflow({ cue: { kind: 'record', on: ['created'] }, conditions: { field: 'status', op: 'is', value }, actions: newClaimWorkflow().actions })
  const { compared } = await rehearsed(status('New'), { live: status('Settled') })
  const count = (value: string) =>
    one<{ n: number }>(pool, `select count(*) as n from rappel.change where tbl = 'claims' and kind = 'created' and after ->> 'status' = $1`, [value])
  expect([compared?.added.length, compared?.gone.length]).toEqual([(await count('New')).n, (await count('Settled')).n])
})

test('lists are those of each moment: the same trip cancelled twice tells those who were booked then', async () => {
  await makeBoats(pool)
  const workflow = tripWorkflow({
    conditions: { field: 'state', op: 'is', value: 'Cancelled' },
    bringIn: [{ name: 'guests', list: 'bookings.trip', order: 'name' }],
    actions: [{ name: 'tell', do: 'email', to: [{ list: 'guests', field: 'email' }], subject: '{{ guests.size }}', body: 'B' }],
  })
  const run = (text: string) => pool.query(text)
  await run(`update data.trips set state = 'Cancelled' where id = 1`)
  const then = await one<{ n: number }>(pool, 'select count(*) as n from data.bookings where trip = 1')
  await run(`update data.trips set state = 'Planned' where id = 1`)
  await run(`insert into data.bookings (name, trip, email, seats) values ('Late', 1, 'late@x.example', 5)`)
  await run(`update data.trips set state = 'Cancelled' where id = 1`)
  const found = await rehearsed(workflow)
  expect(found.samples.map((s) => s.messages[0]?.subject)).toEqual([String(Number(then.n) + 1), String(then.n)])
})

test('parts with errors are left out, what fails is counted in words, and a span without history says so by its count', async () => {
  await makeClaims(pool)
  await pool.query(`insert into data.claims (amount, contact_email) values (1, 'a@x.example'), (0, 'b@x.example')`)
  const faulty = newClaimWorkflow({
    conditions: { all: [{ field: 'shoe', op: 'is', value: 1 }] },
    actions: [{ name: 'tell', do: 'email', to: [{ field: 'contact_email' }], subject: 'S', body: 'B' }],
  })
  expect(await rehearsed(faulty)).toMatchObject({ firings: 2, messages: 2, failed: [] })
  const none = await rehearsed(faulty, { span: { from: new Date('2020-01-01'), to: new Date('2020-02-01') } })
  expect(none).toMatchObject({ changes: 0, first: null, firings: 0, byDay: [] })
  await expect(rehearsed(faulty, { signal: AbortSignal.abort() })).rejects.toThrow('abort')
})

test('what is counted is the same whether texts are worked out for all firings or only where they could fail', async () => {
  const people = await makeClaims(pool)
  await traffic(people, async () => undefined)
  const email = (body: string) => ({ name: 'tell', do: 'email' as const, to: [{ field: 'owner' }], cc: [{ field: 'contact_email' }], subject: '{{ claim.number }}', body })
  const failing = 'B{% if claim.amount > 5 %}{% for i in (1..99999999) %}x{% endfor %}{% endif %}'
  for (const body of ['{{ claim.owner.name | default: "nobody" }}', failing]) {
    const workflow = newClaimWorkflow({ cue: { kind: 'record', on: ['created', 'changed'] }, firing: 'every', actions: [email(body)] })
    const [{ samples: _, ...outlined }, { samples, ...whole }] = [await rehearsed(workflow, { samples: 0 }), await rehearsed(workflow)]
    expect(outlined).toEqual(whole)
    expect(outlined.failed.length).toBe(body === failing ? 1 : 0)
    expect(samples[0]?.messages[0]?.text).not.toBe('')
  }
})

test('notices are rehearsed as they are given: counted, through limits, with who is not here left out', async () => {
  await makeBoats(pool)
  const workflow = tripWorkflow({
    firing: 'every',
    conditions: undefined,
    actions: [
      { name: 'shown', do: 'notice', to: [{ field: 'boat.keeper' }], text: '{{ trip.state }}' },
      { name: 'to nobody', do: 'notice', to: [{ address: 'out@x.example' }], text: 'N' },
    ],
    limits: { spacing: { per: 'record', every: 'PT1H' } },
  })
  await goLive({ pool }, workflow)
  for (const state of ['Cancelled', 'Planned', 'Cancelled']) await pool.query('update data.trips set state = $1 where id = 1', [state])
  await drain(new Dispatcher(pool, BASE_URL, () => new Date()))
  const given = await many<{ body: string }>(pool, 'select body from rappel.notice')
  expect(given).toEqual([{ body: 'Cancelled' }])
  expect(await rehearsed(workflow)).toMatchObject({ firings: 3, messages: 0, notices: given.length })
  const { limits: _, ...without } = workflow
  expect(await rehearsed(without)).toMatchObject({ firings: 3, messages: 0, notices: 3 })
})
