import { changeOccasion } from '@/core/cues/occasion'
import type { Limits, Workflow } from '@/core/document/document'
import { must } from '@/core/must'
import { review } from '@/core/review/review'
import { readReviewSetting, readSurroundings } from '@/engine/program'
import { rehearse } from '@/engine/rehearsal/rehearse'
import { tryWorkflow } from '@/engine/try'
import { openStopKey, stopKey } from '@/engine/why-key'
import { signingSecret } from '@/store/access/secrets'
import { readChange } from '@/store/changes'
import { many, one } from '@/store/database'
import { listOwnMail, listStops, takeBackSay, writeSay } from '@/store/limits/own-say'
import { peopleByEmail } from '@/store/people'
import { writeSettings } from '@/store/settings'
import { readSchema } from '@/store/tables'
import { readWorkflowRow } from '@/store/workflows'
import { INES, makeClaims, newClaimWorkflow, RAFI } from '../support/claims'
import { BASE_URL, type Engine, goLive, startEngine } from '../support/engine'
import { type Machine, machine } from '../support/machine'

/** What the organisation sets for all, and what recipients ask for themselves: gathered, or no more. */

const OUTSIDE = 'guest@elsewhere.example'

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

const toAll = (limits: Limits, parts: Partial<Workflow> = {}) =>
  newClaimWorkflow({
    name: 'New ones',
    actions: [
      { name: 'tell', do: 'email', to: [{ field: 'owner' }], cc: [{ address: RAFI }], bcc: [{ address: OUTSIDE }], subject: '{{ claim.number }}', body: 'B', format: 'plain' },
    ],
    limits,
    ...parts,
  })
const eachOutside = (limits: Limits) =>
  toAll(limits, {
    name: 'Outside',
    actions: [{ name: 'tell', do: 'email', to: [{ address: OUTSIDE }, { address: INES }], delivery: 'each', subject: '{{ claim.number }}', body: 'B', format: 'plain' }],
  })
const claim = (owner = INES) =>
  m.write(m.now(), (db) => one<{ id: number }>(db, 'insert into data.claims (status, owner) values ($1, $2) returning id', ['New', people.get(owner)]))
const mails = () =>
  many<{ subject: string; state: string; held_for: string | null; held_until: Date | null; stop_link: string | null; to: string[] }>(
    engine.pool,
    `select subject, state, held_for, held_until, stop_link, (select array_agg(part || ' ' || address order by position) from rappel.message_recipient r where r.message = m.id) as to from rappel.message m order by id`,
  )
const notes = async () =>
  (await many<{ trace: { notes: { message: string }[] } }>(engine.pool, 'select trace from rappel.run order by id desc limit 1'))[0]?.trace.notes.map((n) => n.message)
const idOf = async (name: string) => must(await readWorkflowRow(engine.pool, name)).id
const rehearsed = async (name: string, from: Date) => {
  const workflow = must((await readWorkflowRow(engine.pool, name))?.live)
  const setting = await readReviewSetting(engine.pool)
  return rehearse(engine.pool, { ...workflow, name }, review(workflow, setting), await readSurroundings(engine.pool, BASE_URL), {
    span: { from, to: new Date(m.now().getTime() + 60_000) },
    samples: 5,
    live: null,
  })
}

test('quiet hours and digest times as the organisation: those of the settings, whenever they change; where it has none nothing is held', async () => {
  await goLive(engine, toAll({ quietHours: 'organisation' }), m.now())
  await goLive(engine, toAll({ digest: { at: 'organisation' } }, { name: 'Gathered' }), m.now())
  await claim()
  await m.settle()
  expect((await mails()).map((x) => x.state)).toEqual(['queued', 'queued'])
  await writeSettings(engine.pool, { quietHours: { from: '09:00', to: '12:00' }, digestAt: ['11:00', '15:00'] })
  await claim()
  await m.settle()
  expect((await mails()).slice(2).map((x) => [x.held_for, x.held_until?.toISOString()])).toEqual(
    expect.arrayContaining([
      ['quiet', '2026-03-02T12:00:00.000Z'],
      ['digest', '2026-03-02T11:00:00.000Z'],
    ]),
  )
  const told = await rehearsed('Gathered', new Date('2026-03-02T09:00:00Z'))
  expect(told.limits).toMatchObject([{ path: '/limits/digest', held: 2 }]) // as the settings are now
})

test('who asks for a digest gets one, the others their mail as ever; where the workflow does not allow it nothing changes', async () => {
  const start = m.now()
  await goLive(engine, toAll({ mayGather: true }), m.now())
  await goLive(engine, toAll({}, { name: 'Not allowed' }), m.now())
  for (const name of ['New ones', 'Not allowed']) await writeSay(engine.pool, await idOf(name), INES, 'digest', m.now())
  await claim()
  await m.settle()
  await m.pass('1 hour')
  await claim()
  await m.settle()
  const made = await mails()
  expect(made.filter((x) => x.held_for === 'digest').map((x) => [x.to, x.held_until?.toISOString()])).toEqual([
    [[`to ${INES}`], '2026-03-03T08:00:00.000Z'],
    [[`to ${INES}`], '2026-03-03T08:00:00.000Z'],
  ])
  expect(made.filter((x) => x.state === 'queued').map((x) => x.to)).toEqual(
    expect.arrayContaining([
      [`to ${RAFI}`, `bcc ${OUTSIDE}`], // whoever was in copy, now that nobody else is left
      [`to ${INES}`, `cc ${RAFI}`, `bcc ${OUTSIDE}`],
    ]),
  )
  expect((await listOwnMail(engine.pool, INES, new Date(0))).map((w) => [w.name, w.mails, w.mayGather, w.say])).toEqual([
    ['Not allowed', 2, false, 'digest'],
    ['New ones', 1, true, 'digest'], // two that wait for one digest
  ])
  await m.passUntil(new Date('2026-03-03T08:00:00Z'))
  expect((await mails()).at(-1)).toMatchObject({ subject: '2 alerts: 2 claims', to: [`to ${INES}`] })
  const told = await rehearsed('New ones', start)
  expect(told.byRecipient.map((r) => [r.address, r.messages])).toEqual([
    [OUTSIDE, 2],
    [RAFI, 2],
    [INES, 1],
  ])
  expect(told.limits.find((l) => l.path === '/limits/mayGather')).toMatchObject({ held: 2 })
})

test('stop: offered to one recipient outside alone, kept to also when the workflow offers it no more, and taken back by an administrator', async () => {
  await goLive(engine, eachOutside({ mayStop: true }), m.now())
  const secret = await signingSecret(engine.pool, 'why')
  await claim()
  await m.settle()
  const [outside, inside] = await mails()
  expect(outside?.to).toEqual([`to ${OUTSIDE}`])
  expect(outside?.stop_link).toBe(`${BASE_URL}/api/stop/${stopKey(await idOf('Outside'), OUTSIDE, secret)}`)
  expect(inside?.stop_link).toBeNull()
  expect((await one<{ html: string }>(engine.pool, 'select html from rappel.message order by id limit 1')).html).toContain('Why you got this, and how to stop it')
  const asked = must(openStopKey(must(outside?.stop_link?.split('/').pop()), secret))
  await writeSay(engine.pool, asked.workflow, asked.address, 'stop', m.now())
  await writeSay(engine.pool, asked.workflow, asked.address, 'stop', m.now()) // said twice is said once
  await writeSay(engine.pool, asked.workflow, asked.address, 'digest', m.now()) // and is not undone by asking for less
  await claim()
  await m.settle()
  expect((await mails()).slice(2).map((x) => x.to)).toEqual([[`to ${INES}`]])
  expect(await notes()).toEqual([`Not sent to ${OUTSIDE}: they said stop 2 March 2026 at 10:00.`])
  await goLive(engine, eachOutside({}), m.now())
  await claim()
  await m.settle()
  expect((await mails()).slice(3).map((x) => x.to)).toEqual([[`to ${INES}`]])
  expect((await rehearsed('Outside', new Date('2026-03-02T09:00:00Z'))).byRecipient.map((r) => r.address)).toEqual([INES])
  expect((await listStops(engine.pool, 10)).map((s) => [s.workflow, s.address])).toEqual([['Outside', OUTSIDE]])
  expect(await takeBackSay(engine.pool, 'Outside', OUTSIDE.toUpperCase())).toBe(true)
  await claim()
  await m.settle()
  expect((await mails()).slice(4).map((x) => x.to)).toEqual([[`to ${OUTSIDE}`], [`to ${INES}`]])
})

test('a key for stopping is of one workflow and address, and nothing else opens it', async () => {
  const key = stopKey(7, ' Guest@Elsewhere.example ', 'secret')
  expect(openStopKey(key, 'secret')).toEqual({ workflow: 7, address: OUTSIDE })
  expect(openStopKey(key, 'another')).toBeNull()
  expect(openStopKey(`${key}x`, 'secret')).toBeNull()
  expect(openStopKey('', 'secret')).toBeNull()
})

test('a dry run knows what passed in earnest: one that would be left out says so, and when the last went', async () => {
  await goLive(engine, toAll({ spacing: { per: 'workflow', every: 'PT1H' } }), m.now())
  await claim()
  await m.settle()
  await m.pass('20 minutes')
  const surroundings = await readSurroundings(engine.pool, BASE_URL)
  const change = await readChange(engine.pool, await readSchema(engine.pool), (await one<{ id: number }>(engine.pool, 'select max(change_id) as id from rappel.run')).id)
  const live = must((await readWorkflowRow(engine.pool, 'New ones'))?.live)
  const tried = async (at: Date) => tryWorkflow(engine.pool, live, changeOccasion({ ...must(change), id: -1, at }), surroundings)
  const left = await tried(m.now())
  expect(left).toMatchObject({
    plan: { fires: true, messages: [], notes: [{ code: 'spaced', message: 'Not sent: one per workflow in 1 hour; the last went 2 March 2026 at 10:00.' }] },
  })
  expect(await tried(new Date('2026-03-02T11:00:00Z'))).toMatchObject({ plan: { messages: [{ subject: expect.any(String) }], notes: [] } })
  expect(await many(engine.pool, 'select 1 from rappel.passed')).toHaveLength(1) // a dry run notes nothing
})
