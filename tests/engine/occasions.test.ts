import { randomUUID } from 'node:crypto'
import type { Workflow } from '@/core/document/document'
import { keepPressed, tryPress } from '@/engine/occasions/press'
import { readSurroundings } from '@/engine/program'
import { explainChange } from '@/engine/why'
import { catchUp } from '@/store/catch-up'
import { latestChanges } from '@/store/changes'
import { many, one } from '@/store/database'
import { peopleByEmail } from '@/store/people'
import { listRuns } from '@/store/runs'
import { listStays } from '@/store/stays'
import { listTicks } from '@/store/timetables'
import { deleteWorkflow, pauseWorkflow, putLive, readWorkflowRow, resumeWorkflow, saveDraft } from '@/store/workflows'
import { INES, makeClaims, newClaimWorkflow, RAFI } from '../support/claims'
import { BASE_URL, type Engine, goLive, startEngine, until } from '../support/engine'
import { type Machine, machine } from '../support/machine'

let engine: Engine
let m: Machine
let people: ReadonlyMap<string, number>

beforeEach(async () => {
  engine = await startEngine()
  await makeClaims(engine.pool)
  people = (await peopleByEmail(engine.pool)).ids
  m = machine(engine.pool, new Date('2026-03-02T06:00:00Z'))
})

afterEach(() => engine.stop())

const tell = (subject: string): Workflow['actions'] => [{ name: 'tell', do: 'email', to: [{ field: 'owner' }], subject, body: 'B', format: 'plain' }]

async function claim(status: string, owner: string | null = INES, at = m.now()): Promise<number> {
  const id = await m.write(at, (db) => one<{ id: number }>(db, `insert into data.claims (status, owner) values ($1, $2) returning id`, [status, owner && people.get(owner)]))
  return id.id
}

const set = (id: number, status: string, at = m.now()) => m.write(at, (db) => db.query('update data.claims set status = $2 where id = $1', [id, status]))

const runs = async () => (await listRuns(engine.pool, { limit: 100 })).reverse()
const subjects = async () => (await many<{ subject: string }>(engine.pool, 'select subject from rappel.message order by id')).map((r) => r.subject)

describe('staying so', () => {
  const waiting = (parts: Partial<Workflow> = {}) =>
    newClaimWorkflow({
      name: 'Stuck',
      cue: { kind: 'record', on: ['created', 'changed'], stays: 'P5D' },
      conditions: { all: [{ field: 'status', op: 'is', value: 'In review' }] },
      actions: tell('{{ claim.number }} since {{ stay.since | date: "%d %b" }}, {{ claim.status }}'),
      ...parts,
    })

  test('fires once when the time is over, not before, and again only after it was broken', async () => {
    await goLive(engine, waiting(), m.now())
    const id = await claim('New')
    await set(id, 'In review')
    await m.pass('4 days 23 hours')
    expect(await runs()).toEqual([])
    await m.pass('2 hours')
    expect((await runs()).map((r) => [r.kind, r.state, r.record])).toEqual([['stay', 'mail waiting', id]])
    expect(await subjects()).toEqual([expect.stringMatching(/since 02 Mar, In review$/)])
    await m.pass('20 days')
    expect(await runs()).toHaveLength(1)
    await set(id, 'New')
    await set(id, 'In review')
    await m.pass('6 days')
    expect(await runs()).toHaveLength(2)
  })

  test('is broken by a change that ends it, by a deletion, and by nothing else', async () => {
    await goLive(engine, waiting(), m.now())
    const [kept, left, gone] = [await claim('In review'), await claim('In review'), await claim('In review')]
    await m.pass('1 day')
    await m.write(m.now(), (db) => db.query(`update data.claims set note = 'x' where id = $1`, [kept]))
    await set(left, 'Settled')
    await m.write(m.now(), (db) => db.query('delete from data.claims where id = $1', [gone]))
    await m.pass('10 days')
    expect((await runs()).map((r) => r.record)).toEqual([kept])
    const stays = await listStays(engine.pool, { workflow: 'Stuck', limit: 10 })
    expect(stays.map((s) => [s.record, s.outcome]).sort()).toEqual([
      [kept, 'fired'],
      [left, 'broken'],
      [gone, 'broken'],
    ])
  })

  test('a worker that was stopped over the end decides as the record stood then', async () => {
    await goLive(engine, waiting(), m.now())
    const [stayed, broken] = [await claim('In review'), await claim('In review')]
    await m.settle()
    const start = m.now()
    const day = 86_400_000
    m.set(new Date(start.getTime() + 8 * day)) // nothing runs meanwhile
    await set(broken, 'New', new Date(start.getTime() + 3 * day))
    await set(broken, 'In review', new Date(start.getTime() + 4 * day))
    await set(stayed, 'Settled', new Date(start.getTime() + 6 * day))
    await m.settle()
    expect((await runs()).map((r) => r.record)).toEqual([stayed])
    expect(await subjects()).toEqual([expect.stringContaining('In review')])
    await m.pass('2 days')
    expect((await runs()).map((r) => r.record)).toEqual([stayed, broken])
  })

  test('clauses that go by the clock are judged at the beginning and at the end alone', async () => {
    const near = waiting({
      conditions: {
        all: [
          { field: 'status', op: 'is', value: 'In review' },
          { field: 'due', op: 'within next', value: { days: 3 } },
        ],
      },
    })
    await goLive(engine, { ...near, cue: { kind: 'record', on: ['created', 'changed'], stays: 'P1D' } }, m.now())
    const soon = await claim('In review')
    const away = await claim('In review')
    const due = (id: number, day: string) => m.write(m.now(), (db) => db.query('update data.claims set due = $2 where id = $1', [id, day]))
    await due(soon, '2026-03-04')
    await due(away, '2026-03-04')
    await m.pass('1 hour')
    await due(soon, '2026-05-01') // not judged in between …
    await due(away, '2026-05-01')
    await m.pass('2 hours')
    await due(soon, '2026-03-05') // … and in time again at the end
    await m.pass('1 day')
    expect((await runs()).map((r) => r.record)).toEqual([soon])
    expect((await listStays(engine.pool, { record: away, table: 'claims', limit: 5 }))[0]?.outcome).toBe('did not fit')
  })

  test('the version that was live when it became true decides; paused at the end it passes by', async () => {
    await goLive(engine, waiting(), m.now())
    const first = await claim('In review')
    await m.settle()
    await saveDraft(engine.pool, 'Stuck', waiting({ actions: tell('second') }), null)
    await putLive(engine.pool, 'Stuck', null, { at: m.now() })
    const second = await claim('In review')
    await m.pass('5 days 1 hour')
    expect((await runs()).map((r) => [r.record, r.version])).toEqual([
      [first, 1],
      [second, 2],
    ])
    const third = await claim('In review')
    await m.pass('4 days')
    await pauseWorkflow(engine.pool, 'Stuck', m.now())
    await m.pass('2 days')
    await resumeWorkflow(engine.pool, 'Stuck', m.now())
    await m.settle()
    expect(await runs()).toHaveLength(2)
    expect((await listStays(engine.pool, { table: 'claims', record: third, limit: 1 }))[0]?.outcome).toBe('passed by')
  })

  test('what fits when it goes live begins to wait only where that is asked for', async () => {
    const id = await claim('In review')
    await goLive(engine, waiting({ name: 'Not asked' }), m.now())
    await saveDraft(engine.pool, 'Asked', waiting({ name: 'Asked' }), null)
    await putLive(engine.pool, 'Asked', null, { at: m.now(), alreadyTrue: true })
    await m.pass('6 days')
    expect((await runs()).map((r) => [r.workflow, r.record])).toEqual([['Asked', id]])
  })

  test('why says since when, what broke it and by whom, what waits, and what stayed so', async () => {
    await goLive(engine, waiting(), m.now())
    const [stayed, broken, waits] = [await claim('In review'), await claim('In review'), await claim('New')]
    await m.pass('2 hours')
    await set(broken, 'Settled')
    await m.settle()
    const why = async (record: number) => {
      const surroundings = await readSurroundings(engine.pool, BASE_URL)
      const changes = await latestChanges(engine.pool, surroundings.schema, 'claims', record, 5)
      const began = changes.find((c) => c.after?.status === 'In review')
      if (!began) throw new Error('It never became true.')
      const settled = await explainChange(engine.pool, waiting(), began, surroundings)
      return 'plan' in settled ? [settled.plan.decision, settled.plan.why] : settled
    }
    expect(await why(broken)).toEqual(['broken', 'Became true 2 March 2026 at 06:00, was broken 2 hours later: status In review → Settled, by somebody.'])
    expect(await why(stayed)).toEqual(['stayed', 'Became true 2 March 2026 at 06:00 and stayed so until 7 March 2026 at 06:00.'])
    await m.write(new Date(), (db) => db.query(`update data.claims set status = 'In review' where id = $1`, [waits]))
    expect(await why(waits)).toEqual(['still waits', expect.stringMatching(/^Became true .*; it waits until .* whether it stays so\.$/)])
  })

  test('what became true during a pause and is run after it is followed through the log', async () => {
    await goLive(engine, waiting(), m.now())
    await pauseWorkflow(engine.pool, 'Stuck', m.now())
    const [over, broken, open] = [await claim('In review'), await claim('In review'), await claim('New')]
    await m.pass('1 day')
    await set(broken, 'New')
    await m.pass('9 days')
    await set(open, 'In review')
    await m.pass('1 day')
    await resumeWorkflow(engine.pool, 'Stuck', m.now())
    await catchUp(engine.pool, 'Stuck')
    await m.settle()
    expect((await runs()).map((r) => r.record)).toEqual([over])
    const stays = await listStays(engine.pool, { workflow: 'Stuck', limit: 10 })
    expect(new Map(stays.map((s) => [s.record, s.outcome]))).toEqual(
      new Map<number, string | null>([
        [over, 'fired'],
        [broken, 'broken'],
        [open, null],
      ]),
    )
    await m.pass('5 days')
    expect((await runs()).map((r) => r.record)).toEqual([over, open])
  })

  test('a workflow that is deleted takes its waits with it', async () => {
    await goLive(engine, waiting(), m.now())
    await claim('In review')
    await m.settle()
    await deleteWorkflow(engine.pool, 'Stuck')
    await m.pass('6 days')
    expect(await one(engine.pool, 'select (select count(*) from rappel.stay) as stays, (select count(*) from rappel.run) as runs')).toEqual({ stays: 0, runs: 0 })
  })
})

describe('by the clock', () => {
  const timetable = (parts: Partial<Workflow> = {}, per: 'record' | 'owner' | 'all' = 'record', more: object = {}) =>
    newClaimWorkflow({
      name: 'Morning',
      cue: { kind: 'timetable', cron: '0 7 * * *', per, ...more },
      conditions: { all: [{ field: 'status', op: 'is none of', value: ['Settled'] }] },
      actions: tell('{{ claim.number }}'),
      ...parts,
    })
  const toOwner: Workflow['actions'] = [
    {
      name: 'tell',
      do: 'email',
      to: [{ field: 'owner.email' }],
      subject: '{{ owner.first_name }}: {{ records.size }}',
      body: '{% for r in records %}{{ r.number }} {% endfor %}',
      format: 'plain',
    },
  ]

  test('per record: what comes to fit fires once, at the next moment; what fitted at going live does not', async () => {
    await claim('New')
    await goLive(engine, timetable(), m.now())
    await m.settle()
    const later = await claim('New')
    await m.pass('2 hours')
    expect((await runs()).map((r) => [r.kind, r.record])).toEqual([['tick', later]])
    await m.pass('3 days')
    expect(await runs()).toHaveLength(1)
    await set(later, 'Settled')
    await m.pass('1 day')
    await set(later, 'New')
    await m.pass('1 day')
    expect(await runs()).toHaveLength(2)
  })

  test('per record, already true: what fits fires at the first moment; every: at each', async () => {
    const id = await claim('New')
    await saveDraft(engine.pool, 'Morning', timetable(), null)
    await putLive(engine.pool, 'Morning', null, { at: m.now(), alreadyTrue: true })
    await goLive(engine, timetable({ name: 'Daily', firing: 'every' }), m.now())
    await m.pass('2 days 2 hours')
    expect((await runs()).map((r) => [r.workflow, r.record])).toEqual([
      ['Morning', id],
      ['Daily', id],
      ['Daily', id],
      ['Daily', id],
    ])
  })

  test('per owner: one run for each owner with their records, none for those without', async () => {
    await claim('New', INES)
    await claim('New', INES)
    await claim('Settled', RAFI)
    await claim('New', RAFI)
    await claim('New', null)
    await goLive(engine, timetable({ actions: toOwner }, 'owner'), m.now())
    await m.pass('2 hours')
    expect(await subjects()).toEqual(expect.arrayContaining(['Ines: 2', 'Rafi: 1']))
    expect(await listTicks(engine.pool, 'Morning', 5)).toMatchObject([{ fitted: 2, fired: 2, ownerless: 1, late: false, done: true }])
  })

  test('all: one run with everything that fits; none where nothing does, unless it is asked for', async () => {
    const actions: Workflow['actions'] = [
      { name: 'tell', do: 'email', to: [{ address: 'd@x.example' }], subject: '{{ records.size }} at {{ tick.at | date: "%H:%M" }}', body: 'B', format: 'plain' },
    ]
    await goLive(engine, timetable({ name: 'None', actions }, 'all'), m.now())
    await goLive(engine, timetable({ name: 'Even none', actions }, 'all', { evenIfNone: true }), m.now())
    await m.pass('2 hours')
    expect(await subjects()).toEqual(['0 at 07:00'])
    await claim('New')
    await m.pass('1 day')
    expect((await subjects()).slice(1)).toEqual(['1 at 07:00', '1 at 07:00'])
  })

  test('stopped over moments: the last one runs late, once, and says so; after more than a day none does', async () => {
    await goLive(engine, timetable({ firing: 'every' }), m.now())
    await claim('New')
    await m.settle()
    m.set(new Date('2026-03-05T09:30:00Z')) // three mornings were missed
    await m.settle()
    expect((await runs()).map((r) => r.occasion)).toEqual([expect.objectContaining({ at: '2026-03-05T07:00:00.000Z', late: true })])
    await saveDraft(engine.pool, 'Weekly', timetable({ name: 'Weekly', firing: 'every', cue: { kind: 'timetable', cron: '0 7 * * mon', per: 'record' } }), null)
    await putLive(engine.pool, 'Weekly', null, { at: new Date('2026-03-08T00:00:00Z') })
    m.set(new Date('2026-03-11T00:00:00Z')) // Monday the 9th is two days ago
    await m.settle()
    expect((await runs()).filter((r) => r.workflow === 'Weekly')).toEqual([])
  })

  test('gone through in pages, and a crash between them neither skips nor repeats', async () => {
    for (let i = 0; i < 25; i++) await claim('New')
    await goLive(engine, timetable({ firing: 'every' }), m.now())
    await m.settle()
    m.set(new Date('2026-03-02T07:00:00Z'))
    await m.settle({ recordsAPage: 4, stopAfter: 3 })
    const some = (await runs()).length
    expect(some).toBeGreaterThan(0)
    expect(some).toBeLessThan(25)
    await m.settle({ recordsAPage: 4 })
    const all = (await runs()).map((r) => r.record)
    expect(all).toHaveLength(25)
    expect(new Set(all).size).toBe(25)
  })

  test('a workflow that is deleted while a moment is gone through ends it', async () => {
    for (let i = 0; i < 12; i++) await claim('New')
    await goLive(engine, timetable({ firing: 'every' }), m.now())
    m.set(new Date('2026-03-02T07:00:00Z'))
    await m.settle({ recordsAPage: 4, stopAfter: 2 })
    await deleteWorkflow(engine.pool, 'Morning')
    await m.settle({ recordsAPage: 4 })
    expect(await one(engine.pool, 'select (select count(*) from rappel.tick) as ticks, (select count(*) from rappel.run) as runs')).toEqual({ ticks: 0, runs: 0 })
  })

  test('what cannot be looked through makes one failed run that says why', async () => {
    await goLive(engine, timetable({ firing: 'every', conditions: { all: [{ field: 'status', op: 'is', value: { changedBy: true } }] } }), m.now())
    await m.pass('2 hours')
    expect((await runs()).map((r) => [r.state, r.record])).toEqual([['failed', null]])
  })
})

describe('by hand', () => {
  const byHand = (parts: Partial<Workflow> = {}) =>
    newClaimWorkflow({
      name: 'Word',
      cue: {
        kind: 'by hand',
        ask: [
          { name: 'note', label: 'Note', type: 'long text', required: true },
          { name: 'extra', label: 'Also to', type: 'addresses' },
          { name: 'until', label: 'Until', type: 'date' },
        ],
      },
      actions: [
        {
          name: 'tell',
          do: 'email',
          to: [{ field: 'contact_email' }],
          cc: [{ field: 'asked.extra' }],
          subject: '{{ claim.number }} until {{ asked.until }}',
          body: '{{ asked.note }} — {{ change.by.name }}',
          format: 'plain',
        },
      ],
      ...parts,
    })
  const by = { kind: 'person' as const, person: 1, name: 'Ines Okafor' }

  async function press(records: readonly number[], asked: unknown, id: string = randomUUID()) {
    const row = await readWorkflowRow(engine.pool, 'Word')
    if (!row?.live || row.version === null) throw new Error('It is not live.')
    const given = { press: id, records, asked, by: { ...by, person: people.get(INES) ?? null }, at: m.now() }
    const tried = await tryPress(engine.pool, row.live, given, await readSurroundings(engine.pool, BASE_URL), true)
    if (!('pressed' in tried)) return tried
    return { runs: await keepPressed(engine.pool, { ...row, version: row.version }, given, tried.pressed), notes: tried.notes }
  }

  test('runs once for each record, with the answers, in the presser’s name; the same press again runs nothing more', async () => {
    await goLive(engine, byHand(), m.now())
    const ids = [await claim('New'), await claim('New'), await claim('New')]
    await engine.pool.query(`update data.claims set contact_email = 'p' || id || '@x.example' where id <> $1`, [ids[2]])
    const id = randomUUID()
    const asked = { note: 'Come early', extra: 'a@x.example; A@x.example,\nb@x.example', until: '2026-03-09' }
    const first = await press(ids, asked, id)
    expect(first).toMatchObject({ notes: ['Also to: A@x.example stands there twice and is kept once.'] })
    expect(await press(ids, asked, id)).toMatchObject({ runs: 'runs' in first ? first.runs : [] })
    await engine.startWorker(['changes'])
    await until('the runs', async () => (await runs()).length === 3 && (await runs()).every((r) => r.state !== 'waiting'))
    expect((await runs()).map((r) => [r.kind, r.state, r.record])).toEqual(ids.map((record, i) => ['press', i === 2 ? 'done' : 'mail waiting', record]))
    const sent = await many<{ subject: string; body: string; to: string[] }>(
      engine.pool,
      `select subject, body, (select array_agg(address order by position) from rappel.message_recipient r where r.message = m.id) as to from rappel.message m order by 3`,
    )
    expect(sent).toHaveLength(2)
    expect(sent[0]).toMatchObject({ subject: expect.stringContaining('until 9 March 2026'), to: [`p${ids[0]}@x.example`, 'a@x.example', 'b@x.example'] })
    expect(sent[0]?.body).toContain('Come early — Ines Okafor')
  })

  test('nothing runs where an answer is wrong or a record is gone', async () => {
    await goLive(engine, byHand(), m.now())
    const id = await claim('New')
    expect(await press([id], { note: 'x', extra: 'nobody' })).toEqual({
      problems: [expect.objectContaining({ path: '/asked/extra', message: 'Also to: “nobody” is not an e-mail address.' })],
    })
    expect(await press([id], { extra: '' })).toEqual({ problems: [expect.objectContaining({ path: '/asked/note', message: 'Note must be answered.' })] })
    expect(await press([id], { note: 'x', until: 'soon' })).toEqual({ problems: [expect.objectContaining({ path: '/asked/until' })] })
    expect(await press([id, 999], { note: 'x' })).toEqual({ missing: [999] })
    const many_ = Array.from({ length: 10_000 }, (_, i) => `p${i}@x.example`).join(',')
    expect(await press([id], { note: 'x', extra: many_ })).toEqual({ problems: [expect.objectContaining({ code: 'too many', message: expect.stringContaining('200') })] })
    expect(await runs()).toEqual([])
  })

  test('only what fits the conditions runs; per all it is one run with the selection, per none without', async () => {
    await goLive(engine, byHand({ conditions: { all: [{ field: 'status', op: 'is', value: 'New' }] } }), m.now())
    const [fits, other] = [await claim('New'), await claim('Settled')]
    expect(await press([fits, other], { note: 'x' })).toMatchObject({ runs: [expect.any(Number)] })
    const actions: Workflow['actions'] = [
      { name: 'tell', do: 'email', to: [{ list: 'records', field: 'owner' }], subject: '{{ records.size }}', body: '{{ asked.note }}', format: 'plain', delivery: 'together' },
    ]
    await goLive(engine, byHand({ cue: { kind: 'by hand', per: 'all', ask: [{ name: 'note', label: 'Note', type: 'text' }] }, actions }), m.now())
    expect(await press([fits, other], { note: 'x' })).toMatchObject({ runs: [expect.any(Number)] })
    await engine.startWorker(['changes'])
    await until('the runs', async () => (await runs()).every((r) => r.state !== 'waiting'))
    expect((await runs()).map((r) => r.record)).toEqual([fits, null])
    expect((await subjects()).at(-1)).toBe('2')
  })
})
