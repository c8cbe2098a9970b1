import type { Workflow } from '@/core/document/document'
import { must } from '@/core/must'
import { review } from '@/core/review/review'
import { NAMED_THINGS, type NamedThing } from '@/core/workflow/rename/thing'
import { changeSettings } from '@/engine/change-settings'
import { runExamples } from '@/engine/examples'
import { readReviewSetting, readSurroundings } from '@/engine/program'
import { many, one } from '@/store/database'
import { keepTable } from '@/store/design/keep-table'
import { renameThing } from '@/store/design/rename-thing'
import { writeSay } from '@/store/limits/own-say'
import { putChannel } from '@/store/notices'
import { listGroups, personByEmail, putGroup, putPerson } from '@/store/people'
import { readSchema } from '@/store/tables'
import { putSender, putTemplate } from '@/store/templates'
import { putView } from '@/store/views'
import { listVersions, readWorkflowRow, saveDraft } from '@/store/workflows'
import { INES, makeClaims, newClaimWorkflow, RAFI } from '../support/claims'
import { BASE_URL, type Engine, goLive, startEngine, until } from '../support/engine'
import { type Machine, machine } from '../support/machine'

/** People get other addresses, and teams, groups, templates, senders and channels other names, while workflows that name them are live. */

let engine: Engine
let m: Machine
let ines: number
beforeEach(async () => {
  engine = await startEngine()
  ines = (await makeClaims(engine.pool)).ines
  m = machine(engine.pool, new Date('2026-03-02T10:00:00Z')) // a Monday
})
afterEach(() => engine.stop())

const NEW = 'ines.okafor@office.example'
const rename = (thing: NamedThing, from: string, to: string, anyway = true) => renameThing(engine.pool, { thing, from, to }, anyway, null)
const mail = (to: Workflow['actions'][number] & { do: 'email' }) => to
const claim = (owner: number | null = ines) =>
  m.write(m.now(), (db) => one<{ id: number }>(db, 'insert into data.claims (status, owner) values ($1, $2) returning id', ['New', owner]))
const sent = async () =>
  (
    await many<{ to: string }>(
      engine.pool,
      'select w.name || $1 || r.address || $1 || m.state as "to" from rappel.message m join rappel.message_recipient r on r.message = m.id join rappel.workflow w on w.id = m.workflow order by m.id, r.position',
      [' '],
    )
  ).map((r) => r.to)
const live = async (name: string) => must((await readWorkflowRow(engine.pool, name))?.live)

const toInes = newClaimWorkflow({
  name: 'To Ines',
  conditions: { all: [{ field: 'owner', op: 'is', value: 'Ines@office.example' }] },
  actions: [mail({ name: 'tell', do: 'email', to: [{ address: INES }], subject: '{{ claim.number }}', body: 'B', format: 'plain' })],
  examples: [{ name: 'hers', change: { kind: 'created', after: { status: 'New' }, by: INES }, expect: { fires: false } }],
})

test('a person’s new address: what names it goes along, told before; live versions go on, and hers fires as before', async () => {
  await goLive(engine, toInes)
  await goLive(engine, newClaimWorkflow({ name: 'Whose', cue: { kind: 'record', on: ['created'], whose: { person: INES } } }))
  await goLive(
    engine,
    newClaimWorkflow({ name: 'Not hers', actions: [mail({ name: 'a', do: 'email', to: [{ address: 'x.ines@office.example' }], subject: 'S', body: 'B', format: 'plain' })] }),
  )
  await putGroup(engine.pool, 'Desk', [RAFI], ['Ines@office.example', 'desk@office.example'])
  await putView(engine.pool, 'claims', 'Hers', null, { where: { field: 'owner', op: 'is', value: INES } })
  const asked = await rename('person', INES.toUpperCase(), NEW, false)
  expect(asked).toEqual({
    done: false,
    uses: [
      { kind: 'workflow', name: 'To Ines', inForce: true },
      { kind: 'workflow', name: 'Whose', inForce: true },
      { kind: 'group', name: 'Desk' },
    ],
  })
  expect(await personByEmail(engine.pool, NEW)).toBeNull()
  expect((await rename('person', INES, NEW)).done).toBe(true)
  expect((await personByEmail(engine.pool, NEW))?.id).toBe(ines)
  expect(await personByEmail(engine.pool, INES)).toBeNull()
  expect((await listGroups(engine.pool))[0]).toMatchObject({ addresses: [NEW, 'desk@office.example'], people: [RAFI] })
  expect(await one(engine.pool, 'select definition from rappel.view')).toMatchObject({ definition: { where: { value: NEW } } })
  const setting = await readReviewSetting(engine.pool)
  for (const name of ['To Ines', 'Whose']) expect([name, review(await live(name), setting).filter((f) => f.level === 'error')]).toEqual([name, []])
  const [version] = await listVersions(engine.pool, must(await readWorkflowRow(engine.pool, 'To Ines')).id)
  expect([version?.version, version?.notes]).toEqual([1, [`The person ${INES} is called ${NEW} now`]])
  await claim()
  await m.settle()
  expect((await sent()).sort()).toEqual([`Not hers x.ines@office.example queued`, `To Ines ${NEW} queued`, `Whose ${NEW} queued`])
})

test('mail that waits goes to the new address, and what she asked and how near together mail may be stays with her', async () => {
  const plain = { do: 'email', subject: '{{ claim.number }}', body: 'B', format: 'plain' } as const
  await goLive(engine, { ...toInes, name: 'Gathered', limits: { digest: { at: ['16:00'] } } }, m.now())
  await goLive(
    engine,
    { ...toInes, name: 'Quiet', actions: [{ ...plain, name: 'a', to: [{ address: RAFI }], replyTo: { field: 'owner' } }], limits: { quietHours: { from: '09:00', to: '12:00' } } },
    m.now(),
  )
  await goLive(engine, { ...toInes, name: 'Spaced', limits: { spacing: { per: 'recipient', every: 'PT4H' } } }, m.now())
  await goLive(engine, { ...toInes, name: 'For herself', limits: { mayGather: true } }, m.now())
  await writeSay(engine.pool, must(await readWorkflowRow(engine.pool, 'For herself')).id, INES, 'digest', m.now())
  await claim()
  await m.settle()
  await rename('person', INES, NEW)
  await claim()
  await m.settle()
  expect((await sent()).sort()).toEqual([
    ...[`For herself ${NEW} held`, `For herself ${NEW} held`, `Gathered ${NEW} held`, `Gathered ${NEW} held`],
    ...[`Quiet ${RAFI} held`, `Quiet ${RAFI} held`, `Spaced ${NEW} queued`],
  ])
  expect(await many(engine.pool, 'select address from rappel.own_say')).toEqual([{ address: NEW }])
  expect(await many(engine.pool, `select distinct reply_to ->> 'address' as to from rappel.message where reply_to is not null`)).toEqual([{ to: NEW }])
  await m.pass('1 day')
  const digests = await many<{ address: string; entries: number }>(
    engine.pool,
    `select r.address, (select count(*)::int from rappel.message_recipient g where g.digest = m.id) as entries from rappel.message m join rappel.message_recipient r on r.message = m.id
      where exists (select from rappel.message_recipient g where g.digest = m.id) order by m.id`,
  )
  expect(digests.map((d) => d.address)).toEqual(digests.map(() => NEW))
  expect(digests.reduce((sum, d) => sum + d.entries, 0)).toBe(4)
})

test('mail that waits for both addresses goes to the one once', async () => {
  const both = mail({ name: 'tell', do: 'email', to: [{ address: INES }, { address: NEW }], cc: [{ address: RAFI }], subject: 'S', body: 'B', format: 'plain' })
  await goLive(engine, newClaimWorkflow({ name: 'Both', actions: [both], limits: { quietHours: { from: '09:00', to: '12:00' } } }), m.now())
  await claim()
  await m.settle()
  await rename('person', INES, NEW)
  expect(await sent()).toEqual([`Both ${NEW} held`, `Both ${RAFI} held`])
})

test('what was sent stays as it was sent; an example that looks back at her change and her mail holds', async () => {
  await goLive(engine, toInes)
  await claim()
  await m.settle()
  await engine.pool.query(`update rappel.message set state = 'sent', finished_at = now()`)
  await engine.pool.query(`update rappel.message_recipient set state = 'sent'`)
  const examples = [
    { name: 'hers', change: { kind: 'created' as const, after: { status: 'New', owner: ines }, by: INES }, asOf: m.now().toISOString(), expect: { fires: true, to: [INES] } },
  ]
  await saveDraft(
    engine.pool,
    'To Ines',
    { ...toInes, actions: [mail({ name: 'tell', do: 'email', to: [{ field: 'owner' }], subject: 'S', body: 'B', format: 'plain' })], examples },
    null,
  )
  const holds = async () =>
    (await runExamples(engine.pool, must(await readWorkflowRow(engine.pool, 'To Ines')).draft, await readSurroundings(engine.pool, BASE_URL))).map((e) => e.shortfalls)
  expect(await holds()).toEqual([[]])
  await rename('person', INES, NEW)
  expect(await sent()).toEqual([`To Ines ${INES} sent`])
  expect(await holds()).toEqual([[]])
})

test('a team, a group, a template, a sender and a channel get other names, and live workflows send as they did', async () => {
  await putGroup(engine.pool, 'Desk', [INES], [])
  await putSender(engine.pool, { name: 'Office', display: 'The office', address: 'office@office.example' })
  await putChannel(engine.pool, 'Board', 'http://127.0.0.1:9/', 'a secret of the board')
  await putTemplate(engine.pool, { name: 'T', table: 'claims', subject: 'From a template', body: 'B', format: 'plain', priority: 'normal' }, null)
  await goLive(
    engine,
    newClaimWorkflow({
      name: 'All',
      cue: { kind: 'record', on: ['created'], whose: { team: 'Claims' } },
      conditions: { all: [{ field: 'owner.team', op: 'is', value: 'Claims' }] },
      actions: [
        mail({ name: 'tell', do: 'email', to: [{ group: 'Desk' }, { team: 'Quays' }], from: { sender: 'Office' }, template: 'T' }),
        { name: 'say', do: 'notice', channel: 'Board', text: 'Came' },
      ],
    }),
  )
  await saveDraft(engine.pool, 'Draft alone', { ...newClaimWorkflow({ name: 'Draft alone' }), actions: [{ name: 'n', do: 'notice', channel: 'Board', text: 'x' }] }, null)
  await claim()
  await m.settle()
  const names = { team: 'Claims', group: 'Desk', template: 'T', sender: 'Office', channel: 'Board' } as const
  for (const thing of NAMED_THINGS) {
    if (thing === 'person') continue
    const asked = await rename(thing, names[thing], `New ${thing}`, false)
    expect([thing, asked.uses.map((u) => u.name)]).toEqual([thing, thing === 'channel' ? ['All', 'Draft alone'] : ['All']])
    expect((await rename(thing, names[thing], `New ${thing}`)).done).toBe(true)
  }
  expect((await personByEmail(engine.pool, INES))?.team).toBe('New team')
  expect(await live('All')).toMatchObject({
    cue: { whose: { team: 'New team' } },
    conditions: { all: [{ value: 'New team' }] },
    actions: [{ to: [{ group: 'New group' }, { team: 'Quays' }], from: { sender: 'New sender' }, template: 'New template' }, { channel: 'New channel' }],
  })
  expect(review(await live('All'), await readReviewSetting(engine.pool)).filter((f) => f.level === 'error')).toEqual([])
  expect(await many(engine.pool, 'select distinct channel from rappel.notice')).toEqual([{ channel: 'New channel' }])
  await claim()
  await m.settle()
  const mails = await many(
    engine.pool,
    `select m.subject, m.sender ->> 'name' as sender, (select array_agg(r.address order by r.address) from rappel.message_recipient r where r.message = m.id) as to from rappel.message m order by m.id`,
  )
  const one = { subject: 'From a template', sender: 'The office', to: [INES, RAFI] }
  expect(mails).toEqual([one, one])
})

test('what cannot be had is refused: nobody of that address, one that somebody has, a name that there is', async () => {
  await putPerson(engine.pool, 'third@office.example', { name: 'Third', team: 'Third' })
  await putGroup(engine.pool, 'One', [], [])
  await putGroup(engine.pool, 'Two', [], [])
  await expect(rename('person', 'nobody@office.example', NEW)).rejects.toMatchObject({ code: 'not found' })
  await expect(rename('person', INES, RAFI.toUpperCase())).rejects.toMatchObject({ code: 'conflict', message: expect.stringContaining('already') })
  await expect(rename('team', 'Claims', 'Third')).rejects.toMatchObject({ code: 'conflict' })
  await expect(rename('group', 'One', 'Two')).rejects.toMatchObject({ code: 'conflict' })
  await expect(rename('template', 'None', 'Some')).rejects.toMatchObject({ code: 'not found' })
  // another spelling of one’s own is no conflict, also where something is kept by it
  await goLive(engine, { ...toInes, name: 'Spaced', limits: { spacing: { per: 'recipient', every: 'PT4H' }, mayGather: true } })
  await writeSay(engine.pool, must(await readWorkflowRow(engine.pool, 'Spaced')).id, INES, 'digest', m.now())
  await claim()
  await m.settle()
  expect((await rename('person', INES, 'Ines@Office.example')).done).toBe(true)
  expect((await personByEmail(engine.pool, INES))?.email).toBe('Ines@Office.example')
})

test('while another program writes, each change fires once, whichever name it meets', async () => {
  await goLive(engine, toInes)
  await engine.startWorker()
  const RECORDS = 40
  const write = async () => {
    for (let i = 0; i < RECORDS; i++) {
      await engine.pool.query('insert into data.claims (owner) values ($1)', [ines])
      await new Promise((resolve) => setTimeout(resolve, 10))
    }
  }
  const there = async () => {
    for (let i = 0; i < 6; i++) {
      await rename('person', i % 2 ? NEW : INES, i % 2 ? INES : NEW)
      await new Promise((resolve) => setTimeout(resolve, 40))
    }
  }
  await Promise.all([write(), there()])
  await until('all of them', async () => (await one<{ sent: number }>(engine.pool, `select count(*)::int as sent from rappel.message where state = 'sent'`)).sent === RECORDS)
  const runs = await many(engine.pool, 'select rec, count(*) from rappel.run group by 1 having count(*) <> 1')
  expect(runs).toEqual([])
})

test('a record is called otherwise: mail of live workflows and templates says what it said; a name that something else bears there is refused', async () => {
  await putTemplate(
    engine.pool,
    { name: 'T', table: 'claims', subject: 'T {{ claim.number }} of {{ claim.owner.name }}', body: '{{ link }}', format: 'plain', priority: 'normal' },
    null,
  )
  const owned = { do: 'email' as const, to: [{ field: 'claim.owner' }] }
  await goLive(
    engine,
    newClaimWorkflow({
      name: 'Told',
      conditions: { all: [{ field: 'claim.status', op: 'is', value: 'New' }] },
      bringIn: [{ name: 'others', list: 'claims.owner', of: 'claim.owner' }],
      values: [{ name: 'twice', formula: 'claim.amount * 2 + (if claim.number = null then 1 else 0)' }],
      actions: [
        { ...owned, name: 'a', format: 'plain', subject: '{{ claim.status }} claim {{ twice }}', body: '{% for one in others %}{{ one.status }}{% endfor %}' },
        { ...owned, name: 'b', template: 'T' },
      ],
    }),
  )
  const made = () => m.write(m.now(), (db) => db.query(`insert into data.claims (status, owner, amount) values ('New', $1, 4)`, [ines]))
  await made()
  const claims = must((await readSchema(engine.pool)).get('claims'))
  for (const singular of ['case', 'function', 'number', 'thing']) {
    await keepTable(engine.pool, { ...claims, singular }, null)
    await made()
  }
  await m.settle()
  const subjects = (await many<{ subject: string }>(engine.pool, 'select m.subject from rappel.message m join rappel.run r on r.id = m.run order by r.change_id, m.id')).map(
    (r) => r.subject,
  )
  expect(subjects).toEqual([1, 2, 3, 4, 5].flatMap((n) => ['New claim 8', `T CL-000${n} of Ines Okafor`]))
  expect(await many(engine.pool, `select trace from rappel.run where state <> 'done'`)).toEqual([])
  expect((await live('Told')).actions[0]).toMatchObject({ subject: '{{ record.status }} claim {{ twice }}', to: [{ field: 'record.owner' }] })
  await expect(keepTable(engine.pool, { ...claims, singular: 'others' }, null)).rejects.toMatchObject({
    code: 'conflict',
    message: expect.stringContaining('Told calls something else “others”'),
  })
  expect((await readSchema(engine.pool)).get('claims')?.singular).toBe('thing')
})

test('a sender that has another address, and the organisation’s own: mail that waits goes from there, no other', async () => {
  const desk = { name: 'Desk', display: 'The desk', address: 'desk@office.example' }
  await putSender(engine.pool, desk)
  await putSender(engine.pool, { ...desk, name: 'Other', display: 'Another desk' })
  await changeSettings(engine.pool, { sender: { name: 'Office', address: 'alerts@office.example' } }, BASE_URL)
  const from = (name: string, given: 'owner' | 'default' | { sender: string }) =>
    goLive(
      engine,
      newClaimWorkflow({
        name,
        actions: [mail({ name: 'a', do: 'email', to: [{ address: RAFI }], from: given, subject: 'S', body: 'B', format: 'plain' })],
        limits: { quietHours: { from: '09:00', to: '12:00' } },
      }),
      m.now(),
    )
  await from('Default', 'default')
  await from('From the owner', 'owner')
  await from('Identity', { sender: 'Desk' })
  await from('Other identity', { sender: 'Other' })
  await claim()
  await m.settle()
  await putSender(engine.pool, { ...desk, address: 'desk@new.example', display: 'The front desk' })
  await changeSettings(engine.pool, { sender: { name: 'Office', address: 'alerts@new.example' } }, BASE_URL)
  const senders = await many<{ name: string; sender: { name: string; address: string } }>(
    engine.pool,
    'select w.name, m.sender from rappel.message m join rappel.workflow w on w.id = m.workflow order by 1',
  )
  expect(senders.map(({ name, sender }) => `${name}: ${sender.name} <${sender.address}>`)).toEqual([
    'Default: Office <alerts@new.example>',
    'From the owner: Ines Okafor <alerts@new.example>',
    'Identity: The front desk <desk@new.example>',
    'Other identity: Another desk <desk@office.example>',
  ])
})
