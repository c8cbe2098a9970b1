import type { Workflow } from '@/core/document/document'
import { must } from '@/core/must'
import { breaksByFigure } from '@/engine/figures/breaks'
import { LiveReview } from '@/engine/live-review'
import { readSurroundings } from '@/engine/program'
import { listBroken } from '@/store/broken'
import { putFigure } from '@/store/figures/definitions'
import { deactivatePerson, putGroup, putPerson, removeGroup } from '@/store/people'
import { putSender, removeSender } from '@/store/templates'
import { pauseWorkflow, saveDraft } from '@/store/workflows'
import { INES, makeClaims, newClaimWorkflow, RAFI } from '../support/claims'
import { BASE_URL, type Engine, goLive, startEngine, until } from '../support/engine'

/** What live workflows need is taken away by whoever may: it is found, told once, and forgotten once it is there again. */

let engine: Engine
let told: string[]
let review: LiveReview
beforeEach(async () => {
  engine = await startEngine()
  await makeClaims(engine.pool)
  told = []
  review = new LiveReview(
    engine.pool,
    () => new Date('2026-03-02T10:00:00Z'),
    (_, { workflow }) => told.push(String(workflow)),
  )
})
afterEach(() => engine.stop())

const broken = async () => (await listBroken(engine.pool)).map(({ name, problems }) => [name, ...problems])
const mail = (parts: Partial<Extract<Workflow['actions'][number], { do: 'email' }>>): Workflow['actions'] => [
  { name: 'tell', do: 'email', to: [{ address: INES }], subject: 'S', body: 'B', format: 'plain', ...parts },
]
const openClaims = (thresholds: { name: string; when: 'above'; value: number }[], by?: string) =>
  ({ rappel: 'figure/1', name: 'open_claims', table: 'claims', of: { count: true }, thresholds, ...(by ? { by } : {}) }) as const
const figure = async (...given: Parameters<typeof openClaims>) =>
  putFigure(engine.pool, { ...openClaims(...given), thresholds: [...given[0]] }, await readSurroundings(engine.pool, BASE_URL), new Date())

test('a group, a sender, a team and a threshold that are gone: each workflow that needs one is broken, others are not; none is told of twice', async () => {
  await putGroup(engine.pool, 'Desk', [INES], [])
  await putSender(engine.pool, { name: 'Office', display: 'The office', address: 'office@office.example' })
  await figure([{ name: 'many', when: 'above', value: 3 }])
  await goLive(engine, newClaimWorkflow({ name: 'Grouped', actions: mail({ to: [{ group: 'Desk' }] }) }))
  await goLive(engine, newClaimWorkflow({ name: 'Sent', actions: mail({ from: { sender: 'Office' } }) }))
  await goLive(engine, newClaimWorkflow({ name: 'Team', cue: { kind: 'record', on: ['created'], whose: { team: 'Quays' } } }))
  await goLive(engine, newClaimWorkflow({ name: 'Waiting', cue: { kind: 'figure', figure: 'open_claims', threshold: 'many' }, actions: mail({}) }))
  await goLive(engine, newClaimWorkflow({ name: 'Well' }))
  expect([await review.look(), await review.look(), await broken()]).toEqual([0, null, []])
  await saveDraft(engine.pool, 'Well', newClaimWorkflow({ name: 'Well', note: 'Drafts do not count.' }), null)
  expect(await review.look()).toBeNull()
  await removeGroup(engine.pool, 'Desk')
  await removeSender(engine.pool, 'Office')
  await putPerson(engine.pool, RAFI, { team: 'Claims' })
  await figure([{ name: 'more', when: 'above', value: 5 }])
  expect(await review.look()).toBe(4)
  expect(Object.fromEntries((await broken()).map(([name, ...problems]) => [name, problems.join(' ')]))).toEqual({
    Grouped: expect.stringContaining('Desk'),
    Sent: expect.stringContaining('Office'),
    Team: expect.stringContaining('Quays'),
    Waiting: 'Open claims has no threshold "many". It has "more".',
  })
  await putGroup(engine.pool, 'Other', [INES], [])
  expect([await review.look(), told.sort()]).toEqual([4, ['Grouped', 'Sent', 'Team', 'Waiting']])
  await putGroup(engine.pool, 'Desk', [INES], [])
  await pauseWorkflow(engine.pool, 'Sent')
  expect([await review.look(), (await broken()).map(([name]) => name)]).toEqual([2, ['Team', 'Waiting']])
})

test('whom nobody is left of reaches nobody, which is said; where the mail goes elsewhere then, it is not', async () => {
  await putGroup(engine.pool, 'Desk', [INES], [])
  const to = [{ group: 'Desk' }, { team: 'Claims' }]
  await goLive(engine, newClaimWorkflow({ name: 'To them', actions: mail({ to }) }))
  await goLive(engine, newClaimWorkflow({ name: 'Or another', actions: mail({ to, ifNobody: [{ address: RAFI }] }) }))
  await goLive(engine, newClaimWorkflow({ name: 'With an owner', actions: mail({ to: [...to, { field: 'owner' }] }) }))
  expect(await review.look()).toBe(0)
  await deactivatePerson(engine.pool, INES, null)
  expect([await review.look(), await broken()]).toEqual([1, [['To them', 'Nobody is left who would get it: all that it is for are groups or teams in which nobody is active.']]])
})

test('what an edited figure would break is told before: a threshold that is gone, another grouping; not what was broken before', async () => {
  await figure([{ name: 'many', when: 'above', value: 3 }], 'owner')
  await goLive(engine, newClaimWorkflow({ name: 'Waiting', cue: { kind: 'figure', figure: 'open_claims', threshold: 'many' }, actions: mail({ to: [{ field: 'figure.group' }] }) }))
  const breaks = async (...given: Parameters<typeof openClaims>) =>
    (await breaksByFigure(engine.pool, { ...openClaims(...given), thresholds: [...given[0]] })).map((use) => use.name)
  const many = { name: 'many', when: 'above', value: 9 } as const
  expect(await breaks([many], 'owner')).toEqual([])
  expect(await breaks([{ ...many, name: 'other' }], 'owner')).toEqual(['Waiting'])
  expect(await breaks([many], 'status')).toEqual(['Waiting'])
  expect(await breaks([many])).toEqual(['Waiting'])
  await figure([], 'owner')
  expect(await breaks([])).toEqual([])
})

test('a worker finds it by itself', async () => {
  await putGroup(engine.pool, 'Desk', [INES], [])
  await goLive(engine, newClaimWorkflow({ name: 'Grouped', actions: mail({ to: [{ group: 'Desk' }] }) }))
  await engine.startWorker()
  await removeGroup(engine.pool, 'Desk')
  const [found] = must(await until('the workflow that is broken', async () => ((await broken()).length ? broken() : null)))
  expect(found?.[0]).toBe('Grouped')
})
