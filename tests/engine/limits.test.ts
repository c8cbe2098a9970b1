import fc from 'fast-check'
import type { Limits, Workflow } from '@/core/document/document'
import { review } from '@/core/review/review'
import { Dispatcher } from '@/engine/dispatch'
import { readReviewSetting, readSurroundings } from '@/engine/program'
import { rehearse } from '@/engine/rehearsal/rehearse'
import { busyShards } from '@/store/changes'
import { many, one } from '@/store/database'
import { endCap, listHeld } from '@/store/limits/held'
import { peopleByEmail } from '@/store/people'
import { listRuns, readRun } from '@/store/runs'
import { writeSettings } from '@/store/settings'
import { pauseWorkflow, readWorkflowRow, resumeWorkflow } from '@/store/workflows'
import { INES, makeClaims, newClaimWorkflow, RAFI } from '../support/claims'
import { BASE_URL, type Engine, goLive, startEngine } from '../support/engine'
import { type Machine, machine } from '../support/machine'

/** Limits hold back mail and notices, never writes: what passes, what is left out, what is held and until when, by a clock of the tests' own. */

let engine: Engine
let m: Machine
let people: ReadonlyMap<string, number>
beforeEach(async () => {
  engine = await startEngine()
  await makeClaims(engine.pool)
  people = (await peopleByEmail(engine.pool)).ids
  m = machine(engine.pool, new Date('2026-03-02T10:00:00Z')) // a Monday
})
afterEach(() => engine.stop())

const limited = (limits: Limits, parts: Partial<Workflow> = {}) =>
  newClaimWorkflow({
    name: 'Touched',
    cue: { kind: 'record', on: ['created', 'changed'] },
    actions: [
      { name: 'tell', do: 'email', to: [{ field: 'owner' }], cc: [{ address: 'desk@x.example' }], subject: '{{ claim.number }} {{ claim.status }}', body: 'B', format: 'plain' },
      { name: 'mark', do: 'create', table: 'claims', set: { note: 'a write', status: 'Settled' } },
    ],
    refire: false,
    conditions: { all: [{ field: 'status', op: 'is none of', value: ['Settled'] }] },
    firing: 'every',
    limits,
    ...parts,
  })
const claim = async (owner = INES) =>
  (await m.write(m.now(), (db) => one<{ id: number }>(db, 'insert into data.claims (status, owner) values ($1, $2) returning id', ['New', people.get(owner)]))).id
const touch = (id: number, note: string) => m.write(m.now(), (db) => db.query('update data.claims set note = $2 where id = $1', [id, note]))
const mails = () =>
  many<{ subject: string; state: string; to: string[]; held_for: string | null; body: string }>(
    engine.pool,
    `select subject, state, held_for, body, (select array_agg(address order by position) from rappel.message_recipient r where r.message = m.id and r.state <> 'gathered') as to from rappel.message m order by id`,
  )
const lastTrace = async () => {
  const [run] = await listRuns(engine.pool, { limit: 1 })
  return (await readRun(engine.pool, run?.id ?? 0))?.trace
}

test('one per record in an hour: the first passes, those within it are left out and say so, the next after it passes; writes are made all the same', async () => {
  await goLive(engine, limited({ spacing: { per: 'record', every: 'PT1H' } }), m.now())
  const [a, b] = [await claim(), await claim()]
  await m.settle()
  await m.pass('20 minutes')
  await touch(a, 'x')
  await m.settle()
  expect(await mails()).toHaveLength(2)
  expect((await lastTrace())?.notes).toEqual([
    expect.objectContaining({ code: 'spaced', path: '/actions/0', message: 'Not sent: one per record in 1 hour; the last went 2 March 2026 at 10:00.' }),
  ])
  expect((await one<{ n: number }>(engine.pool, `select count(*) as n from data.claims where note = 'a write'`)).n).toBe(3)
  await m.pass('40 minutes')
  await touch(a, 'y')
  await m.settle()
  expect(await mails()).toHaveLength(3)
  await touch(b, 'z')
  await m.settle()
  expect(await mails()).toHaveLength(4)
})

test('a run that found nobody to write to was not the first: the next that does is not left out, live and rehearsed', async () => {
  const spaced = limited(
    { spacing: { per: 'record', every: 'PT1H' } },
    { actions: [{ name: 'tell', do: 'email', to: [{ field: 'owner' }], subject: 'S', body: 'B', format: 'plain' }] },
  )
  await goLive(engine, spaced, m.now())
  const { id } = await m.write(m.now(), (db) => one<{ id: number }>(db, `insert into data.claims (status) values ('New') returning id`))
  await m.settle()
  expect(await mails()).toEqual([])
  expect((await lastTrace())?.notes.map((n) => n.code)).toEqual(['blank address', 'nobody'])
  await m.pass('20 minutes')
  await m.write(m.now(), (db) => db.query('update data.claims set owner = $2 where id = $1', [id, people.get(INES)]))
  await m.settle()
  expect((await mails()).map((x) => x.to)).toEqual([[INES]])
  await m.pass('20 minutes')
  await touch(id, 'x')
  await m.settle()
  expect((await lastTrace())?.notes.map((n) => n.code)).toEqual(['spaced'])
  const rehearsed = await rehearse(engine.pool, spaced, [], await readSurroundings(engine.pool, BASE_URL), {
    span: { from: new Date('2026-03-02T00:00:00Z'), to: new Date(m.now().getTime() + 1_000) },
    samples: 0,
    live: null,
  })
  expect(rehearsed).toMatchObject({ firings: 3, messages: 1 })
})

test('of a digest or quiet hours nothing is said where nobody was written to; a notice that waits for their end says so', async () => {
  const limits = { quietHours: { from: '09:00', to: '12:00' } }
  await goLive(
    engine,
    limited({ digest: { at: ['16:00'] } }, { actions: [{ name: 'tell', do: 'email', to: [{ field: 'owner' }], subject: 'S', body: 'B', format: 'plain' }] }),
    m.now(),
  )
  await goLive(engine, limited(limits, { name: 'Notices', actions: [{ name: 'say', do: 'notice', channel: 'Quays', text: 'T' }] }), m.now())
  await m.write(m.now(), (db) => db.query(`insert into data.claims (status) values ('New')`))
  await m.settle()
  const traces = await Promise.all((await listRuns(engine.pool, { limit: 9 })).map(async (r) => [r.workflow, (await readRun(engine.pool, r.id))?.trace.notes.map((n) => n.code)]))
  expect(traces.sort()).toEqual([
    ['Notices', ['quiet']],
    ['Touched', ['blank address', 'nobody']],
  ])
})

test('one per recipient: an address that had its mail is dropped, wherever it stands; where nobody is left there is none', async () => {
  await goLive(engine, limited({ spacing: { per: 'recipient', every: 'P1D' } }), m.now())
  await claim(INES)
  await claim(RAFI)
  await claim(RAFI)
  await m.settle()
  expect((await mails()).map((x) => x.to)).toEqual([[INES, 'desk@x.example'], [RAFI]])
  expect((await lastTrace())?.notes.map((n) => n.message)).toEqual([
    expect.stringMatching(/^Not sent to rafi@office.example: one per recipient in 1 day; the last went 2 March/),
    expect.stringMatching(/^Not sent to desk@x.example/),
  ])
})

test('one per recipient: whoever is left has the mail, also where nobody is left in To', async () => {
  const parts = (field: 'cc' | 'bcc'): Partial<Workflow> => ({
    name: field,
    actions: [
      {
        name: 'tell',
        do: 'email',
        to: [{ address: 'desk@x.example' }],
        [field]: [{ field: 'owner' }, { address: `${field}@x.example` }],
        subject: field,
        body: 'B',
        format: 'plain',
      },
    ],
  })
  for (const field of ['cc', 'bcc'] as const) await goLive(engine, limited({ spacing: { per: 'recipient', every: 'P1D' } }, parts(field)), m.now())
  await claim(INES)
  await m.settle()
  await m.pass('1 hour')
  await claim(RAFI)
  await m.settle()
  await m.pass('2 hours')
  await claim(RAFI) // who had theirs, by the second mail
  await m.settle()
  const got = await mails()
  expect(got.filter((x) => x.subject === 'cc').map((x) => x.to)).toEqual([['desk@x.example', INES, 'cc@x.example'], [RAFI]])
  expect(got.filter((x) => x.subject === 'bcc').map((x) => x.to)).toEqual([['desk@x.example', INES, 'bcc@x.example'], [RAFI]])
  await m.pass('21 hours 1 minute') // a day after the first, not after the second
  await claim(RAFI)
  await m.settle()
  expect(
    (await mails())
      .slice(4)
      .map((x) => x.to)
      .sort(),
  ).toEqual([
    ['desk@x.example', 'bcc@x.example'],
    ['desk@x.example', 'cc@x.example'],
  ])
})

test('quiet hours over midnight hold mail until they end, in order; on days that are not theirs they do not', async () => {
  await goLive(engine, limited({ quietHours: { from: '22:00', to: '07:00', days: [1, 2, 3, 4, 5] } }), m.now())
  await m.passUntil(new Date('2026-03-02T23:30:00Z'))
  await claim(INES)
  await m.settle()
  await m.passUntil(new Date('2026-03-03T01:00:00Z'))
  await claim(RAFI)
  await m.settle()
  expect((await mails()).map((x) => [x.state, x.held_for])).toEqual([
    ['held', 'quiet'],
    ['held', 'quiet'],
  ])
  expect((await listHeld(engine.pool)).map((h) => [h.workflow, h.count, h.until?.toISOString()])).toEqual([['Touched', 2, '2026-03-03T07:00:00.000Z']])
  expect((await lastTrace())?.notes.map((n) => n.message)).toEqual(['Held until the quiet hours end, 3 March 2026 at 07:00.'])
  expect((await listRuns(engine.pool, { state: 'waiting', limit: 9 })).map((r) => r.state)).toEqual(['mail held', 'mail held'])
  await m.passUntil(new Date('2026-03-03T06:59:00Z'))
  expect((await mails()).every((x) => x.state === 'held')).toBe(true)
  await m.passUntil(new Date('2026-03-03T07:00:00Z'))
  expect((await mails()).map((x) => x.state)).toEqual(['queued', 'queued'])
  expect((await listRuns(engine.pool, { limit: 9 })).map((r) => r.state)).toEqual(['mail waiting', 'mail waiting'])
  await m.passUntil(new Date('2026-03-07T23:00:00Z')) // a Saturday
  await claim(INES)
  await m.settle()
  expect((await mails())[2]?.state).toBe('queued')
})

test('a digest gathers what several workflows have for somebody at the same moment; one entry alone goes as its own mail; each run knows its digest', async () => {
  const digest = { digest: { at: ['08:00', '16:00'] } }
  await goLive(engine, limited(digest), m.now())
  await goLive(
    engine,
    limited(digest, { name: 'Also', actions: [{ name: 'tell', do: 'email', to: [{ field: 'owner' }], subject: 'Also {{ claim.number }}', body: 'B', format: 'plain' }] }),
    m.now(),
  )
  const a = await claim(INES)
  await m.settle()
  await m.pass('30 minutes')
  await touch(a, '<b>hostile</b>')
  await m.settle()
  expect((await mails()).every((x) => x.state === 'held' && x.held_for === 'digest')).toBe(true)
  await m.passUntil(new Date('2026-03-02T16:00:00Z'))
  const sent = (await mails()).filter((x) => x.state === 'queued')
  expect(sent.map((x) => [x.subject, x.to])).toEqual(
    expect.arrayContaining([
      ['4 alerts: 4 claims', [INES]],
      ['2 alerts: 2 claims', ['desk@x.example']],
    ]),
  )
  expect(sent).toHaveLength(2)
  const mine = sent.find((x) => x.to[0] === INES)
  expect(mine?.body).toMatch(/Also: 2[\s\S]*Touched: 2/i)
  expect(mine?.body).toContain('Note: blank → <b>hostile</b>')
  const { html } = await one<{ html: string }>(engine.pool, `select html from rappel.message where subject = '4 alerts: 4 claims'`)
  expect(html).toContain('Note: blank → &lt;b&gt;hostile&lt;/b&gt;')
  expect(html).toMatch(/href="http:\/\/rappel.example\/why\/[^"]+"/)
  expect((await mails()).filter((x) => x.state === 'gathered')).toHaveLength(4)
  const linked = await many<{ run: number }>(engine.pool, `select x.run from rappel.run_message x join rappel.message m on m.id = x.message where m.subject = '4 alerts: 4 claims'`)
  expect(linked).toHaveLength(4)
  await m.pass('1 hour')
  await claim(RAFI)
  await m.settle()
  await m.passUntil(new Date('2026-03-03T08:00:00Z'))
  expect((await mails()).filter((x) => x.to?.includes(RAFI)).map((x) => [x.subject.startsWith('2 alerts'), x.state])).toEqual([[true, 'queued']]) // two workflows
})

test('past the most of a day mail is held, and sent or dropped by somebody; the next day begins anew', async () => {
  await goLive(engine, limited({ perDay: 2 }), m.now())
  for (let i = 0; i < 4; i++) await claim()
  await m.settle()
  expect((await mails()).map((x) => x.held_for)).toEqual([null, null, 'cap', 'cap'])
  expect((await lastTrace())?.notes.map((n) => n.message)).toEqual(['Held: 2 mails went today already, which is the most of a day.'])
  await m.pass('1 day')
  await claim()
  await m.settle()
  expect((await mails()).map((x) => x.state)).toEqual(['queued', 'queued', 'held', 'held', 'queued'])
  expect(await endCap(engine.pool, 'Touched', 'send', m.now())).toBe(2)
  expect((await mails()).every((x) => x.state === 'queued')).toBe(true)
})

test('a rehearsal shows the fullest digest as it would have arrived, in the words of Settings', async () => {
  await writeSettings(engine.pool, {
    digestWords: {
      subject: '{{ count }} for {{ recipient }}',
      body: '{% for s in sections %}{% for r in s.rows %}<p>{{ r.title }} {% for c in r.columns %}{{ c.value }}{% endfor %}</p>{% endfor %}{% endfor %}',
    },
  })
  const start = m.now()
  for (const [owner, hours] of [
    [INES, 1],
    [RAFI, 1],
    [INES, 1],
    [INES, 20],
    [RAFI, 1],
  ] as const) {
    await claim(owner)
    await m.pass(`${hours} hours`)
  }
  const draft = limited({ digest: { at: ['16:00'], columns: ['status'] } })
  const { digestSample } = await rehearse(engine.pool, draft, [], await readSurroundings(engine.pool, BASE_URL), { span: { from: start, to: m.now() }, samples: 0, live: null })
  // the desk is a copy of all of them: three on the first day, two on the next
  expect(digestSample).toMatchObject({ address: 'desk@x.example', count: 4, mail: { subject: '4 for desk@x.example' } })
  expect(digestSample?.until.toISOString()).toBe('2026-03-02T16:00:00.000Z')
  expect(digestSample?.mail.text.match(/New/g)).toHaveLength(4)
})

test('what is held stays held while its workflow is paused, and goes when it is resumed', async () => {
  await goLive(engine, limited({ digest: { every: 'PT1H' } }), m.now())
  await claim()
  await m.settle()
  await pauseWorkflow(engine.pool, 'Touched', m.now())
  await m.pass('3 hours')
  expect((await mails()).map((x) => x.state)).toEqual(['held'])
  await resumeWorkflow(engine.pool, 'Touched', m.now())
  await m.pass('1 minute')
  expect((await mails()).map((x) => x.state)).not.toContain('held')
})

const LIMITS: readonly Limits[] = [
  { spacing: { per: 'record', every: 'PT3H' } },
  { spacing: { per: 'recipient', every: 'PT2H' } },
  { spacing: { per: 'workflow', every: 'PT90M' }, quietHours: { from: '22:00', to: '06:30' } },
  { digest: { at: ['08:00', '16:30'] }, quietHours: { from: '16:00', to: '18:00', days: [1, 3, 5] } },
  { digest: { every: 'PT2H' }, spacing: { per: 'record', every: 'P1D' } },
  { perDay: 5 },
  { perDay: 4, spacing: { per: 'recipient', every: 'PT1H' }, quietHours: { from: '12:00', to: '13:00' } },
]

test('live and rehearsed, limits let the same mail through, to the same people, over made-up traffic and days', async () => {
  const start = m.now()
  for (const [i, limits] of LIMITS.entries())
    await goLive(
      engine,
      newClaimWorkflow({
        name: `L${i}`,
        cue: { kind: 'record', on: ['created', 'changed'] },
        conditions: { all: [{ field: 'note', op: 'is filled' }] },
        firing: 'every',
        actions: [
          {
            name: 'tell',
            do: 'email',
            to: [{ field: 'owner' }],
            cc: [{ text: '{% if claim.amount > 5 %}big@x.example{% endif %}' }],
            subject: `L${i} {{ claim.number }}`,
            body: 'B',
            format: 'plain',
          },
        ],
        limits,
      }),
      m.now(),
    )
  const writes =
    fc.sample(
      fc.array(fc.record({ claim: fc.integer({ min: 1, max: 5 }), owner: fc.nat(1), amount: fc.nat(9), wait: fc.integer({ min: 1, max: 150 }) }), { minLength: 60, maxLength: 60 }),
      { numRuns: 1, seed: 17 },
    )[0] ?? []
  for (const [i, w] of writes.entries()) {
    await m.pass(`${w.wait} minutes`)
    await m.write(m.now(), (db) =>
      db.query(
        'insert into data.claims (id, note, owner, amount) values ($1, $2, $3, $4) on conflict (id) do update set note = excluded.note, owner = excluded.owner, amount = excluded.amount',
        [w.claim, `n${i}`, people.get(w.owner ? INES : RAFI), w.amount],
      ),
    )
    await m.settle()
  }
  await m.pass('2 days')
  const setting = await readReviewSetting(engine.pool)
  const span = { from: start, to: m.now() }
  for (const [i, limits] of LIMITS.entries()) {
    const workflow = (await readWorkflowRow(engine.pool, `L${i}`))?.live as Workflow
    const rehearsed = await rehearse(engine.pool, workflow, review(workflow, setting), await readSurroundings(engine.pool, BASE_URL), { span, samples: 0, live: null })
    const isGathered = limits.digest !== undefined
    const live = await many<{ address: string; n: number }>(
      engine.pool,
      isGathered
        ? `select lower(r.address) as address, count(distinct m.held_until)::int as n from rappel.message m join rappel.workflow w on w.id = m.workflow join rappel.message_recipient r on r.message = m.id
            where w.name = $1 and m.held_until is not null group by 1`
        : `select lower(r.address) as address, count(*)::int as n from rappel.message m join rappel.workflow w on w.id = m.workflow join rappel.message_recipient r on r.message = m.id
            where w.name = $1 and m.state <> 'held' group by 1`,
      [`L${i}`],
    )
    const sorted = (list: readonly { address: string; n: number }[]) => list.map((x) => `${x.address} ${x.n}`).sort()
    expect([i, sorted(rehearsed.byRecipient.map((r) => ({ address: r.address, n: r.messages })))]).toEqual([i, sorted(live)])
    expect(rehearsed.limits.reduce((sum, l) => sum + l.held, 0)).toBeGreaterThan(0)
  }
  expect((await many(engine.pool, `select 1 from rappel.message where state = 'held' and held_for <> 'cap'`)).length).toBe(0)
})

test('the most of an hour over all workflows holds what goes past it, whichever has limits of its own; a new hour begins anew', async () => {
  await writeSettings(engine.pool, { mailPerHour: 3 })
  await goLive(engine, limited({ perDay: 100 }), m.now())
  const { limits: _, ...free } = limited({}, { name: 'Free' })
  await goLive(engine, free, m.now())
  await claim()
  await claim()
  await m.settle()
  expect((await mails()).map((x) => x.held_for).sort()).toEqual(['cap', null, null, null].sort())
  await m.pass('1 hour')
  await claim()
  await m.settle()
  expect((await mails()).map((x) => x.state).sort()).toEqual(['held', 'queued', 'queued', 'queued', 'queued', 'queued'])
  const notes = (await many<{ trace: { notes: { message: string }[] } }>(engine.pool, 'select trace from rappel.run')).flatMap((r) => r.trace.notes.map((n) => n.message))
  expect(notes).toContain('Held: 3 mails of all workflows went in this hour already, which is the most that the settings allow.')
})

test.each([1, 2, 130, 399, 400, 1_000])('three workers at once let exactly the most of a day through, %i of 400, and each key of spacing once', async (perDay) => {
  const free = (name: string, limits: Limits) =>
    limited(limits, { name, actions: [{ name: 'tell', do: 'email', to: [{ field: 'owner' }], subject: '{{ claim.number }}', body: 'B', format: 'plain' }] })
  await goLive(engine, free('Capped', { perDay }), m.now())
  await goLive(engine, free('Spaced', { spacing: { per: 'workflow', every: 'PT1H' } }), m.now())
  const workers = Array.from({ length: 3 }, () => new Dispatcher(engine.pool, BASE_URL, () => m.now()))
  await m.write(m.now(), (db) => db.query(`insert into data.claims (status, owner) select 'New', $1 from generate_series(1, 400)`, [people.get(INES)]))
  const drain = async (worker: Dispatcher, step: number) => {
    for (let busy = await busyShards(engine.pool); busy.length; busy = await busyShards(engine.pool)) await worker.handleShards([...busy].sort((a, b) => (a * step - b * step) % 7))
  }
  await Promise.all(workers.map((w, i) => drain(w, i + 1)))
  const counts = await many<{ name: string; state: string; n: number }>(
    engine.pool,
    'select w.name, m.state, count(*)::int as n from rappel.message m join rappel.workflow w on w.id = m.workflow group by 1, 2 order by 1, 2 desc',
  )
  const through = Math.min(perDay, 400)
  expect(counts).toEqual([
    ...(through < 400
      ? [
          { name: 'Capped', state: 'queued', n: through },
          { name: 'Capped', state: 'held', n: 400 - through },
        ]
      : [{ name: 'Capped', state: 'queued', n: 400 }]),
    { name: 'Spaced', state: 'queued', n: 1 },
  ])
  expect(await many(engine.pool, `select passed from rappel.passed_on`)).toEqual([{ passed: through }])
})
