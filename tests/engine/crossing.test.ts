import type { Figure } from '@/core/document/figure'
import { review } from '@/core/review/review'
import { readReviewSetting, readSurroundings } from '@/engine/program'
import { many, one } from '@/store/database'
import { listCrossings } from '@/store/figures/crossings'
import { listFigures, putFigure } from '@/store/figures/definitions'
import { listRuns, readRun } from '@/store/runs'
import { INES, makeClaims, newClaimWorkflow, RAFI } from '../support/claims'
import { BASE_URL, type Engine, goLive, startEngine, until } from '../support/engine'
import { killed, startWorkerProcess } from '../support/worker-process'

/** A figure that crosses its threshold sets workflows off, once, with what it was and is and the records behind it. */

let engine: Engine
let people: { ines: number; rafi: number }
beforeEach(async () => {
  engine = await startEngine()
  people = await makeClaims(engine.pool)
})
afterEach(() => engine.stop())

const FIGURE: Figure = {
  rappel: 'figure/1',
  name: 'open_claims',
  label: 'Open claims',
  table: 'claims',
  of: { count: true },
  where: { field: 'status', op: 'is none of', value: ['Settled'] },
  by: 'owner',
  thresholds: [{ name: 'too many', when: 'above', value: 2, rearm: 1 }],
}
const workflow = newClaimWorkflow({
  name: 'Too many claims',
  cue: { kind: 'figure', figure: 'open_claims', threshold: 'too many' },
  bringIn: [{ name: 'behind', list: 'figure.records', order: 'amount' }],
  actions: [
    {
      name: 'tell',
      do: 'email',
      to: [{ field: 'figure.group' }, { field: 'figure.group.manager' }],
      delivery: 'together',
      subject: '{{ figure.name }} of {{ figure.group.first_name }}: {{ figure.before }} to {{ figure.value }}, over {{ figure.threshold }}',
      body: '{{ figure.count }}: {% for c in behind %}{{ c.amount }} {% endfor %}{{ figure.link }}',
      format: 'plain',
    },
  ],
})
const put = async (figure = FIGURE) => putFigure(engine.pool, figure, await readSurroundings(engine.pool, BASE_URL), new Date())
const add = (owner: number, amount: number) => engine.pool.query('insert into data.claims (owner, amount) values ($1, $2)', [owner, amount])
const mails = () => engine.room.store.list({})

test('the claim that takes somebody over the threshold sends one mail, to them and their manager; the next sends none, until it is re-armed', async () => {
  for (const amount of [30, 10]) await add(people.rafi, amount)
  await put()
  expect(review(workflow, await readReviewSetting(engine.pool)).filter((f) => f.level === 'error')).toEqual([])
  await goLive(engine, workflow)
  await engine.startWorker()
  await add(people.rafi, 20)
  await until('the mail', () => mails().length === 1)
  const [first] = mails()
  expect(first).toMatchObject({ subject: 'Open claims of Rafi: 2 to 3, over 2', envelope: { to: [RAFI, INES] } })
  expect((await engine.room.store.source(1)).toString()).toMatch(/3: .*10\.00 .*20\.00 .*30\.00 .*figures\/open_claims/s)
  await add(people.rafi, 40)
  await add(people.ines, 1)
  await engine.pool.query(`update data.claims set status = 'Settled' where amount in (10, 20)`) // two left: not re-armed
  await add(people.rafi, 50)
  await engine.pool.query(`update data.claims set status = 'Settled' where amount in (30, 40)`) // one left
  await add(people.rafi, 60)
  await add(people.rafi, 70)
  await until('the second mail', () => mails().length === 2)
  await until(
    'all folded in',
    async () => (await one<{ value: string }>(engine.pool, `select value::text as value from rappel.figure_value where grp = $1::jsonb`, [people.rafi])).value === '3',
  )
  expect(mails().map((m) => m.subject)).toEqual(expect.arrayContaining(['Open claims of Rafi: 2 to 3, over 2']))
  expect(mails()).toHaveLength(2)
  const [run] = await listRuns(engine.pool, { limit: 1 })
  expect(run).toMatchObject({ workflow: 'Too many claims', kind: 'crossing', title: 'Open claims: Rafi Demir, 2 to 3', record: null })
  const whole = await readRun(engine.pool, run?.id ?? 0)
  expect(whole?.why).toBe('Open claims went from 2 to 3 and crossed 2 (too many); 3 records are behind it.')
  const figure = (await listFigures(engine.pool))[0]
  const crossed = await listCrossings(engine.pool, figure?.id ?? 0, { from: new Date(0), to: new Date(Date.now() + 1_000), limit: 9 })
  expect(crossed.map((c) => [c.grp, c.before, c.value, c.by.name])).toEqual([
    [String(people.rafi), '2', '3', 'rappel'],
    [String(people.rafi), '2', '3', 'rappel'],
  ])
})

test('what is wrong with a workflow of a figure is said where it is', async () => {
  await put()
  const setting = await readReviewSetting(engine.pool)
  const errors = (parts: Partial<typeof workflow>) =>
    review({ ...workflow, ...parts }, setting)
      .filter((f) => f.level === 'error')
      .map((f) => `${f.path}: ${f.message}`)
  expect(errors({ cue: { kind: 'figure', figure: 'opne_claims', threshold: 'too many' }, bringIn: [], actions: [] })[0]).toMatch(
    /^\/cue\/figure: Claims has no figure "opne_claims"\. It has open_claims\./,
  )
  expect(errors({ cue: { kind: 'figure', figure: 'open_claims', threshold: 'many' } })).toEqual([
    expect.stringMatching(/^\/cue\/threshold: Open claims has no threshold "many"\. It has "too many"\./),
  ])
  expect(errors({ conditions: { field: 'status', op: 'is', value: 'New' } })).toEqual([expect.stringMatching(/^\/conditions: .*Put them into the figure/)])
  expect(errors({ actions: [{ name: 'tell', do: 'email', to: [{ field: 'owner' }], subject: '{{ claim.number }}', body: 'x' }] }).join('\n')).toMatch(
    /there is no one claim whose field could be meant/,
  )
})

test('a worker that is killed again and again loses no move and doubles none', async () => {
  await put({ ...FIGURE, by: undefined, thresholds: Array.from({ length: 20 }, (_, i) => ({ name: `over ${i * 10}`, when: 'above' as const, value: i * 10 })) })
  for (let i = 0; i < 20; i++)
    await goLive(
      engine,
      newClaimWorkflow({
        name: `W${i}`,
        cue: { kind: 'figure', figure: 'open_claims', threshold: `over ${i * 10}` },
        actions: [{ name: 'tell', do: 'email', to: [{ address: 'all@x.example' }], subject: 'Over {{ figure.threshold }}: {{ figure.value }}', body: 'x' }],
      }),
    )
  let written = 0
  const writing = (async () => {
    for (; written < 150; written++) {
      await add(people.ines, written)
      await new Promise((resolve) => setTimeout(resolve, 15))
    }
  })()
  for (let kills = 0; kills < 3; kills++) {
    const worker = await startWorkerProcess(engine)
    await new Promise((resolve) => setTimeout(resolve, 700))
    await killed(worker)
  }
  await writing
  await engine.startWorker()
  await until('all runs', async () => (await one<{ n: number }>(engine.pool, 'select count(*) as n from rappel.run')).n === 15)
  await until('all mail', async () => (await many(engine.pool, `select from rappel.message where state = 'sent'`)).length === 15)
  // what was taken just before a kill comes again under the same Message-ID (RFC 5321, section 6.1)
  const sources = await Promise.all(mails().map(async ({ id }) => (await engine.room.store.source(id)).toString()))
  expect(new Set(sources.map((source) => /^Message-ID: (.*)\r$/m.exec(source)?.[1])).size).toBe(15)
  expect([...new Set(mails().map((m) => m.subject))].sort()).toEqual(Array.from({ length: 15 }, (_, i) => `Over ${i * 10}: ${i * 10 + 1}`).sort())
  expect(await many(engine.pool, `select value::int as value from rappel.figure_value`)).toEqual([{ value: 150 }])
}, 120_000)
