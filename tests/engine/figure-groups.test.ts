import { randomUUID } from 'node:crypto'
import type { Figure } from '@/core/document/figure'
import { review } from '@/core/review/review'
import { Dispatcher } from '@/engine/dispatch'
import { Figures } from '@/engine/figures/figures'
import { readAsked } from '@/engine/occasions/asked'
import { keepPressed, tryPress } from '@/engine/occasions/press'
import { readReviewSetting, readSurroundings } from '@/engine/program'
import { rehearse } from '@/engine/rehearsal/rehearse'
import { tryWorkflow } from '@/engine/try'
import { many, one } from '@/store/database'
import { putFigure } from '@/store/figures/definitions'
import { listRuns } from '@/store/runs'
import { readWorkflowRow } from '@/store/workflows'
import { INES, makeClaims, newClaimWorkflow, RAFI } from '../support/claims'
import { BASE_URL, type Engine, goLive, startEngine, until } from '../support/engine'
import { type Machine, machine } from '../support/machine'

/** Workflows that run once for each group of a figure, by the clock or by hand, and what a crossing of one's own making would do. */

let engine: Engine
let m: Machine
let people: { ines: number; rafi: number }
beforeEach(async () => {
  engine = await startEngine()
  people = await makeClaims(engine.pool)
  m = machine(engine.pool, new Date('2026-03-02T06:00:00Z'))
  await putFigure(engine.pool, FIGURE, await readSurroundings(engine.pool, BASE_URL), m.now())
})
afterEach(() => engine.stop())

const FIGURE: Figure = {
  rappel: 'figure/1',
  name: 'open_value',
  table: 'claims',
  of: { sum: 'amount' },
  where: { field: 'status', op: 'is none of', value: ['Settled'] },
  by: 'owner',
  thresholds: [{ name: 'much', when: 'above', value: 100 }],
}

const weekly = newClaimWorkflow({
  name: 'Weekly',
  cue: { kind: 'timetable', cron: '0 7 * * *', per: 'group', over: { figure: 'open_value' } },
  conditions: { all: [{ field: 'figure.value', op: 'at least', value: 10 }] },
  bringIn: [{ name: 'behind', list: 'figure.records', order: 'amount' }],
  actions: [
    {
      name: 'which',
      do: 'choose',
      branches: [
        {
          when: { field: 'figure.value', op: 'at least', value: 50 },
          actions: [{ name: 'post', do: 'notice', to: [{ field: 'figure.group' }], title: 'Much', text: '{{ figure.group }}: {{ figure.value }}' }],
        },
      ],
      otherwise: [
        {
          name: 'tell',
          do: 'email',
          to: [{ field: 'figure.group' }],
          subject: '{{ figure.group.first_name }} has {{ figure.value }} in {{ figure.count }}',
          body: '{% for c in behind %}{{ c.amount }};{% endfor %}',
          format: 'plain',
        },
      ],
    },
  ],
})

const add = (owner: number | null, amount: number) =>
  m.write(m.now(), (db) => one<{ id: number }>(db, 'insert into data.claims (owner, amount) values ($1, $2) returning id', [owner, amount]))
const moved = async () => new Figures(engine.pool, new Dispatcher(engine.pool, BASE_URL, () => m.now()), () => m.now()).handle()
const runs = async () => (await listRuns(engine.pool, { limit: 100 })).reverse()
const told = async () => many<{ subject: string; body: string }>(engine.pool, 'select subject, body from rappel.message order by id')

test('a timetable goes through the groups: each that came to fit runs once, by the branch that its value is in; the rehearsal says the same', async () => {
  expect(review(weekly, await readReviewSetting(engine.pool)).filter((f) => f.level === 'error')).toEqual([])
  await add(people.rafi, 12)
  await moved()
  await goLive(engine, weekly, m.now())
  const from = m.now()
  await m.pass('2 hours') // what fitted at going live does not fire
  expect(await runs()).toEqual([])
  const mine = await add(people.ines, 5)
  await add(people.ines, 20.5)
  await add(null, 3)
  await moved()
  await m.pass('1 day')
  expect((await runs()).map((r) => [r.kind, r.title, r.record])).toEqual([['tick', 'Open value: Ines Okafor, 25.5', null]])
  expect(await told()).toEqual([{ subject: 'Ines has £25.50 in 2', body: expect.stringMatching(/^£5\.00;£20\.50;/) }])
  await m.pass('1 day')
  expect(await runs()).toHaveLength(1)
  await m.write(m.now(), (db) => db.query('delete from data.claims where owner = $1', [people.ines]))
  await moved()
  await m.pass('1 day')
  await add(people.ines, 70)
  await moved()
  await m.pass('1 day')
  expect((await runs()).map((r) => r.title)).toEqual(['Open value: Ines Okafor, 25.5', 'Open value: Ines Okafor, 70'])
  expect((await many<{ body: string }>(engine.pool, 'select body from rappel.notice')).map((n) => n.body)).toEqual([expect.stringContaining('Ines Okafor: £70.00')])
  const setting = await readReviewSetting(engine.pool)
  const rehearsed = await rehearse(engine.pool, weekly, review(weekly, setting), await readSurroundings(engine.pool, BASE_URL), {
    span: { from, to: m.now() },
    samples: 20,
    live: null,
  })
  expect(rehearsed).toMatchObject({ firings: 2, messages: 1, failed: [] })
  expect(rehearsed.ticks?.told.map((t) => [t.fit, t.firings, t.messages]).reverse()).toEqual([
    [1, 0, 0],
    [2, 1, 1],
    [2, 0, 0],
    [1, 0, 0],
    [2, 1, 0],
  ])
  expect(mine.id).toBeGreaterThan(0)
})

test('by hand it runs once for each group that is chosen; a group that is not there is said, and the same press again runs nothing more', async () => {
  await add(people.rafi, 12)
  await add(people.ines, 4)
  await moved()
  await goLive(
    engine,
    { ...weekly, name: 'Now', cue: { kind: 'by hand', per: 'group', over: { figure: 'open_value' }, ask: [{ name: 'note', label: 'Note', type: 'text' }] } },
    m.now(),
  )
  const row = await readWorkflowRow(engine.pool, 'Now')
  if (!row?.live || row.version === null) throw new Error('It is not live.')
  const surroundings = await readSurroundings(engine.pool, BASE_URL)
  const asked = { press: randomUUID(), records: [], asked: { note: 'x' }, by: { kind: 'person' as const, person: people.ines, name: 'Ines' }, at: m.now() }
  expect(await tryPress(engine.pool, row.live, { ...asked, groups: [people.rafi, 999] }, surroundings, true)).toEqual({ missingGroups: [999] })
  expect(await tryPress(engine.pool, row.live, asked, surroundings, true)).toEqual({ problems: [expect.objectContaining({ path: '/groups' })] })
  const groups = [people.rafi, people.ines]
  const tried = await tryPress(engine.pool, row.live, { ...asked, groups }, surroundings, false)
  if (!('pressed' in tried)) throw new Error('It could not be tried.')
  expect(tried.pressed.map((p) => [p.title, 'plan' in p.settled && p.settled.plan.fires]).sort()).toEqual(
    [
      [expect.any(String), false], // four pounds do not fit
      ['Rafi Demir, 12', true],
    ].sort(),
  )
  const kept = await keepPressed(engine.pool, { ...row, version: row.version }, { ...asked, groups }, tried.pressed)
  expect(await keepPressed(engine.pool, { ...row, version: row.version }, { ...asked, groups }, tried.pressed)).toEqual(kept)
  await engine.startWorker(['changes'])
  await until('the run', async () => (await runs()).length === 1 && (await runs())[0]?.state !== 'waiting')
  expect((await runs())[0]).toMatchObject({ kind: 'press', title: 'Rafi Demir, 12' })
  expect(await told()).toEqual([{ subject: 'Rafi has £12.00 in 1', body: expect.stringMatching(/^£12\.00;/) }])
})

test('a crossing of one’s own making says what it would do; one that crosses nothing says why', async () => {
  await add(people.rafi, 60)
  await moved()
  const crossing = newClaimWorkflow({
    name: 'Much',
    cue: { kind: 'figure', figure: 'open_value', threshold: 'much' },
    actions: [
      {
        name: 'tell',
        do: 'email',
        to: [{ field: 'figure.group' }, { field: 'figure.group.manager' }],
        subject: '{{ figure.before }} to {{ figure.value }}',
        body: 'B',
        format: 'plain',
      },
    ],
  })
  const surroundings = await readSurroundings(engine.pool, BASE_URL)
  const setting = { by: { kind: 'system' as const, person: null, name: 'me' }, at: m.now(), people: surroundings.people }
  const asked = (occasion: object) => readAsked(engine.pool, crossing, { occasion: { kind: 'crossing', ...occasion } }, surroundings, setting)
  const read = await asked({ group: people.rafi, before: 60, value: 140.5 })
  if ('problems' in read) throw new Error(JSON.stringify(read.problems))
  const tried = await tryWorkflow(engine.pool, crossing, read.occasion, surroundings)
  expect(tried).toMatchObject({ plan: { fires: true, why: 'Open value went from 60 to 140.5 and crossed 100 (much); one record is behind it.' } })
  expect('plan' in tried && tried.plan.messages.map((x) => [x.to.map((t) => t.address), x.subject])).toEqual([[[RAFI, INES], '£60.00 to £140.50']])
  expect(await asked({ group: people.rafi, before: 60, value: 99 })).toEqual({
    problems: [{ code: 'no crossing', path: '/occasion/value', message: '99 is not above 100, so nothing is crossed.' }],
  })
  expect(await asked({ group: people.rafi, before: 101, value: 140 })).toMatchObject({ problems: [{ path: '/occasion/before' }] })
  expect(await asked({ group: people.rafi, value: 'many' })).toMatchObject({ problems: [{ path: '/occasion/value' }] })
  expect(await asked({ group: { a: 1 }, value: 140 })).toMatchObject({ problems: [{ path: '/occasion/group' }] })
})

test('what is wrong with a workflow over groups is said where it is', async () => {
  const setting = await readReviewSetting(engine.pool)
  const errors = (parts: object) =>
    review({ ...weekly, ...parts }, setting)
      .filter((f) => f.level === 'error')
      .map((f) => `${f.path}: ${f.message}`)
  expect(errors({ conditions: { field: 'status', op: 'is', value: 'New' } })[0]).toMatch(/^\/conditions.*once for each group of open value, so there is no one claim/)
  expect(errors({ conditions: { field: 'figure.value', op: 'rose' } }).join()).toMatch(/nothing has changed|stand/)
  expect(errors({ cue: { ...weekly.cue, over: { figure: 'opne' } } })[0]).toMatch(/^\/cue\/over\/figure: Claims has no figure "opne"\. Claims has open_value\./)
})
