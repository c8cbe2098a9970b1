import type { Workflow } from '@/core/document/document'
import type { Figure } from '@/core/document/figure'
import type { FieldDef, TableDef } from '@/core/values/tables'
import { readSurroundings } from '@/engine/program'
import { retype as retypeWhole } from '@/engine/retype-field'
import { many, one } from '@/store/database'
import { orderFields, removeField, removeTable } from '@/store/design/remove'
import { renameField } from '@/store/design/rename'
import { retypeField } from '@/store/design/retype'
import { usesOfFields } from '@/store/design/uses'
import { putFigure, readFigureRow } from '@/store/figures/definitions'
import { listGroups } from '@/store/figures/values'
import { readStanding } from '@/store/health'
import { readSettings } from '@/store/settings'
import { putTable, readSchema } from '@/store/tables'
import { listTemplates, putTemplate } from '@/store/templates'
import { listVersions, readWorkflowRow, saveDraft } from '@/store/workflows'
import { CLAIMS, makeClaims, newClaimWorkflow } from '../support/claims'
import { BASE_URL, type Engine, goLive, startEngine, until } from '../support/engine'

/** A table is designed anew while programs write to it: capture stays right, and whatever speaks of its fields goes along. */

let engine: Engine
let ines: number
beforeEach(async () => {
  engine = await startEngine()
  ines = (await makeClaims(engine.pool)).ines
})
afterEach(() => engine.stop())

const table = async (name = 'claims') => (await readSchema(engine.pool)).get(name) as TableDef
const settled = newClaimWorkflow({
  name: 'Settled',
  cue: { kind: 'record', on: ['changed'], fields: ['status'] },
  conditions: { all: [{ field: 'status', op: 'is', value: 'Settled' }] },
  actions: [{ name: 'tell', do: 'email', to: [{ field: 'owner' }], subject: '{{ claim.number }} is {{ claim.status }}', body: 'was {{ before.status }}' }],
})

test('a field is renamed while another program writes: nothing fails, each firing is made once, and every document goes along', async () => {
  await goLive(engine, settled)
  await saveDraft(engine.pool, 'Other', { ...settled, name: 'Other' }, null)
  await putTemplate(engine.pool, { name: 'T', table: 'claims', subject: '{{ claim.status }}', body: '', format: 'plain', priority: 'normal' }, null)
  const setting = { schema: await readSchema(engine.pool), organisation: await readSettings(engine.pool), people: new Map() }
  await putFigure(
    engine.pool,
    { rappel: 'figure/1', name: 'open', table: 'claims', of: { count: true }, where: { field: 'status', op: 'is not', value: 'Settled' } },
    setting,
    new Date(),
  )
  await engine.startWorker()
  const RECORDS = 60
  await engine.pool.query(`insert into data.claims (owner) select $1::bigint from generate_series(1, $2::int)`, [ines, RECORDS])
  // a program that sees only columns it is told of, as one does that asks the catalogue first
  const write = async () => {
    for (let id = 1; id <= RECORDS; id++) {
      const set = async (name: string) => engine.pool.query(`update data.claims set ${name} = 'Settled' where id = $1`, [id])
      await set('status').catch(() => set('state'))
      await new Promise((resolve) => setTimeout(resolve, 8))
    }
  }
  const writing = write()
  await new Promise((resolve) => setTimeout(resolve, 150))
  const asked = await renameField(engine.pool, { table: 'claims', from: 'status', to: 'state', label: 'State' }, false, null)
  expect([asked.done, asked.uses]).toEqual([
    false,
    [
      { kind: 'workflow', name: 'Other', inForce: false },
      { kind: 'workflow', name: 'Settled', inForce: true },
      { kind: 'template', name: 'T' },
      { kind: 'figure', name: 'open' },
    ],
  ])
  expect((await renameField(engine.pool, { table: 'claims', from: 'status', to: 'state', label: 'State' }, true, null)).done).toBe(true)
  await writing
  await until('every mail', () => engine.room.store.list({}).length >= RECORDS)
  await new Promise((resolve) => setTimeout(resolve, 300))
  expect(
    engine.room.store
      .list({})
      .map((m) => m.subject)
      .sort(),
  ).toEqual(Array.from({ length: RECORDS }, (_, i) => `CL-${String(i + 1).padStart(4, '0')} is Settled`))
  expect(await many(engine.pool, `select workflow from rappel.run where state <> 'done'`)).toEqual([])
  const row = await readWorkflowRow(engine.pool, 'Settled')
  expect([row?.live?.conditions, row?.draft.cue, row?.version]).toEqual([
    { all: [{ field: 'state', op: 'is', value: 'Settled' }] },
    { kind: 'record', on: ['changed'], fields: ['state'] },
    1,
  ])
  expect((await listVersions(engine.pool, row?.id as number))[0]?.notes).toEqual(['Status: status is called state now'])
  expect((await listTemplates(engine.pool))[0]).toMatchObject({ subject: '{{ claim.state }}', version: 2 })
  expect((await readFigureRow(engine.pool, 'open'))?.definition).toMatchObject({ where: { field: 'state' } })
  expect((await table()).fields.map((f) => [f.name, f.label])[1]).toEqual(['state', 'State'])
  const [{ count }] = (await many<{ count: number }>(engine.pool, `select count(*) as count from rappel_change.claims where kind = 'changed' and 'state' = any(changed)`)) as [
    { count: number },
  ]
  expect(count).toBe(RECORDS)
})

test('names that cannot be had are refused, and nothing is done', async () => {
  const rename = (from: string, to: string) => renameField(engine.pool, { table: 'claims', from, to }, true, null)
  await expect(rename('status', 'amount')).rejects.toThrow('has a field amount already')
  await expect(rename('status', 'Status!')).rejects.toThrow('snake_case')
  await expect(rename('status', 'id')).rejects.toThrow('not id')
  await expect(rename('nothing', 'x')).rejects.toThrow('no field "nothing"')
  expect((await table()).fields.map((f) => f.name)).toEqual(CLAIMS.fields.map((f) => f.name))
  await rename('number', 'reference')
  expect(await table()).toMatchObject({ titleField: 'reference' })
  await engine.pool.query('insert into data.claims default values')
  expect(await many(engine.pool, 'select reference from data.claims')).toEqual([{ reference: 'CL-0001' }])
  // it counts on, also once the field is saved anew, and another field of its old name counts by itself
  const { figures: _, ...now } = await table()
  await putTable(engine.pool, { ...now, fields: [...now.fields, { name: 'number', label: 'Number', type: 'text', number: 'N-{00}' }] })
  await engine.pool.query('insert into data.claims default values')
  expect(await many(engine.pool, 'select reference, number from data.claims order by id')).toEqual([
    { reference: 'CL-0001', number: null },
    { reference: 'CL-0002', number: 'N-01' },
  ])
})

const retype = async (field: FieldDef, how: { look?: boolean; anyway?: boolean } = {}) =>
  retypeField(engine.pool, 'claims', field, await readSettings(engine.pool), { look: how.look ?? false, anyway: how.anyway ?? false })

test('a text becomes money: what would not convert is told first, blanked only where that is said, and nothing is captured', async () => {
  await engine.pool.query(`insert into data.claims (note) values ('£1,200.50'), ('12'), ('about ten'), ('about ten'), (null)`)
  const { changes } = await one<{ changes: number }>(engine.pool, 'select count(*) as changes from rappel_change.claims')
  const note = { name: 'note', label: 'Note', type: 'money' as const }
  const looked = await retype(note, { look: true })
  expect(looked).toMatchObject({ filled: 4, kept: 2, done: false, lost: [{ value: 'about ten', records: 2 }] })
  expect((await retype(note)).done).toBe(false)
  expect((await retype(note, { anyway: true })).done).toBe(true)
  expect(await many(engine.pool, 'select note from data.claims order by id')).toEqual([{ note: '1200.5' }, { note: '12' }, { note: null }, { note: null }, { note: null }])
  expect((await one<{ changes: number }>(engine.pool, 'select count(*) as changes from rappel_change.claims')).changes).toBe(changes)
  await engine.pool.query('update data.claims set note = 13 where id = 2')
  expect(await many(engine.pool, `select before ->> 'note' as before, after ->> 'note' as after from rappel_change.claims order by id desc limit 1`)).toEqual([
    { before: '12', after: '13' },
  ])
})

test.each([
  ['person', { name: 'note', label: 'Note', type: 'person' as const }, ['Ines Okafor', 'rafi@office.example'], [1, 2]],
  ['choice', { name: 'note', label: 'Note', type: 'choice' as const, choices: ['a', 'b'] }, ['a', 'b'], ['a', 'b']],
  ['date', { name: 'note', label: 'Note', type: 'date' as const }, ['25/12/2026', '2026-01-02'], ['2026-12-25', '2026-01-02']],
  ['yes/no', { name: 'note', label: 'Note', type: 'yes/no' as const }, ['yes', 'NO'], [true, false]],
] as const)('a text becomes %s, and a text again', async (_, field, from, to) => {
  for (const note of from) await engine.pool.query('insert into data.claims (note) values ($1)', [note])
  expect(await retype(field as unknown as FieldDef)).toMatchObject({ kept: 2, done: true })
  const held = async () => (await many<{ note: unknown }>(engine.pool, `select to_json(note) as note from data.claims order by id`)).map((r) => r.note)
  expect(await held()).toEqual(to)
  expect(await retype({ name: 'note', label: 'Note', type: 'text' })).toMatchObject({ kept: 2, done: true })
  expect((await held()).every((v) => typeof v === 'string')).toBe(true)
})

test('a choice that is called otherwise stays the same choice: records keep it, nothing counts as changed, workflows go on firing for it, figures count it', async () => {
  const { pool } = engine
  await putTable(pool, {
    name: 'payments',
    label: 'Payments',
    singular: 'payment',
    titleField: 'name',
    fields: [
      { name: 'name', label: 'Name', type: 'text' },
      { name: 'claim', label: 'Claim', type: 'link', table: 'claims' },
    ],
  })
  const status = (await table()).fields.find((f) => f.name === 'status') as FieldDef
  const workflow: Workflow = {
    ...settled,
    conditions: {
      all: [
        { field: 'status', op: 'is one of', value: ['Settled', 'In review'] },
        { field: 'status', op: 'changed from to', value: 'New', to: 'Settled' },
      ],
    },
    actions: [
      ...settled.actions,
      {
        name: 'again',
        do: 'choose',
        branches: [{ when: { field: 'record.status', op: 'is', value: 'Settled' }, actions: [{ name: 'noted', do: 'update', set: { note: 'Settled' } }] }],
      },
      { name: 'other', do: 'create', table: 'claims', set: { status: 'Settled', note: 'made' } },
    ],
    examples: [{ name: 'E', change: { kind: 'changed', before: { status: 'New' }, after: { status: 'Settled' } }, expect: { fires: true } }],
  } as Workflow
  await goLive(engine, workflow)
  const setting = await readSurroundings(pool, BASE_URL)
  await putFigure(pool, { rappel: 'figure/1', name: 'by_status', table: 'claims', of: { count: true }, by: 'status' }, setting, new Date())
  const paid: Figure = { rappel: 'figure/1', name: 'paid', table: 'payments', of: { count: true }, by: 'claim.status', where: { field: 'name', op: 'is filled' } }
  await putFigure(pool, paid, setting, new Date())
  const perGroup: Workflow = {
    ...settled,
    name: 'Per group',
    cue: { kind: 'timetable', cron: '0 7 1 1 *', per: 'group', over: { figure: 'by_status' } },
    conditions: { all: [{ field: 'figure.group', op: 'is', value: 'Settled' }] },
    actions: [{ name: 'tell', do: 'email', to: [{ address: 'd@x.example' }], subject: 'S', body: 'b', format: 'plain' }],
  }
  await goLive(engine, perGroup)
  const figure = (await readFigureRow(pool, 'by_status'))?.id
  await pool.query(`insert into rappel.figure_hour (figure, grp, hour, value) values ($1, '"Settled"', '2020-01-01', 5)`, [figure])
  await pool.query(`insert into rappel.fitted (workflow, version, rec, looked_at) select id, 1, to_jsonb('"Settled"'::text), now() from rappel.workflow where name = 'Per group'`)
  const view = { name: 'Done', where: { all: [{ field: 'status', op: 'is', value: 'Settled' }] } }
  await pool.query(`insert into rappel.view (tbl, name, definition) values ('claims', 'Done', $1)`, [JSON.stringify(view)])
  await pool.query(`insert into data.claims (status, owner) values ('Settled', $1), ('New', $1), ('New', $1)`, [ines])
  await pool.query(`insert into data.payments (name, claim) values ('P', 1)`)
  let worker = await engine.startWorker()
  await until('the figures to count', async () => (await one<{ n: number }>(pool, 'select count(*) as n from rappel.figure_value where n > 0')).n === 3)

  const becomes = { ...status, choices: ['New', 'In review', 'Closed'], default: 'New' }
  const renamed = new Map([['Settled', 'Closed']])
  const looked = await retypeField(pool, 'claims', becomes, await readSettings(pool), { look: true, anyway: false, renamed })
  expect(looked).toMatchObject({
    filled: 3,
    kept: 3,
    lost: [],
    gone: [],
    renamed: [
      { kind: 'workflow', name: 'Per group' },
      { kind: 'workflow', name: 'Settled', inForce: true },
    ],
    done: false,
  })
  const { changes } = await one<{ changes: number }>(pool, 'select count(*) as changes from rappel_change.claims')
  await worker.stop() // what is recorded and not handled yet is not missed
  await pool.query(`insert into data.claims (owner) values ($1)`, [ines])
  await pool.query(`update data.claims set status = 'Settled' where id = 4`)
  await retypeWhole(pool, 'claims', becomes, { look: false, anyway: false, renamed }, BASE_URL)
  expect(await many(pool, 'select status from data.claims order by id')).toEqual([{ status: 'Closed' }, { status: 'New' }, { status: 'New' }, { status: 'Closed' }])
  expect((await one<{ changes: number }>(pool, 'select count(*) as changes from rappel_change.claims')).changes).toBe(changes + 2)
  expect(await many(pool, `select after ->> 'status' as status from rappel_change.claims where rec = 1`)).toEqual([{ status: 'Closed' }])
  expect((await readWorkflowRow(pool, 'Per group'))?.live).toMatchObject({ conditions: { all: [{ value: 'Closed' }] } })
  expect(await one(pool, 'select (select array_agg(grp) from rappel.figure_hour) as hours, (select array_agg(rec) from rappel.fitted) as fitted')).toEqual({
    hours: ['Closed'],
    fitted: ['"Closed"'],
  })
  worker = await engine.startWorker()
  await until('the mail that was still to be', async () => engine.room.store.list({}).some((m) => m.subject === 'CL-0004 is Closed'))
  const row = await readWorkflowRow(pool, 'Settled')
  const kept = JSON.stringify([row?.live, (await many(pool, 'select definition from rappel.view'))[0]])
  expect([kept.match(/"Settled"/g)?.length, kept.match(/"Closed"/g)?.length]).toEqual([2, 6]) // its name, and a note that is no choice
  expect((await listVersions(pool, row?.id ?? 0))[0]?.notes).toEqual(['Status: Settled is called Closed now'])

  await pool.query(`update data.claims set status = 'Closed' where id = 2`)
  await until('the mail', async () => engine.room.store.list({}).some((m) => m.subject === 'CL-0002 is Closed'))
  await until('what the run wrote', async () => (await one<{ n: number }>(pool, `select count(*) as n from data.claims where status = 'Closed'`)).n === 5)
  const counts = async (name: string) => {
    const id = (await readFigureRow(pool, name))?.id ?? 0
    return Object.fromEntries((await listGroups(pool, id, 10)).filter((g) => Number(g.value) > 0).map((g) => [g.grp, Number(g.value)]))
  }
  await until('the figure', async () => (await counts('by_status'))['"Closed"'] === 5)
  expect([await counts('by_status'), await counts('paid')]).toEqual([{ '"New"': 1, '"Closed"': 5 }, { '"Closed"': 1 }])
  await worker.stop()

  const without = { ...becomes, choices: ['New', 'In review'] }
  for (const wrong of [new Map([['Lost', 'New']]), new Map([['Closed', 'Lost']])])
    await expect(retypeField(pool, 'claims', without, await readSettings(pool), { look: true, anyway: false, renamed: wrong })).rejects.toMatchObject({
      problems: [{ path: '/renamed' }],
    })
  const gone = await retypeField(pool, 'claims', without, await readSettings(pool), { look: false, anyway: false })
  expect(gone).toMatchObject({
    done: false,
    filled: 6,
    kept: 1,
    gone: [
      { kind: 'workflow', name: 'Per group' },
      { kind: 'workflow', name: 'Settled', inForce: true },
    ],
  })
})

test('what a figure groups by over a link goes along when that field gets another name', async () => {
  const { pool } = engine
  const fields: FieldDef[] = [
    { name: 'name', label: 'Name', type: 'text' },
    { name: 'claim', label: 'Claim', type: 'link', table: 'claims' },
  ]
  await putTable(pool, { name: 'payments', label: 'Payments', singular: 'payment', titleField: 'name', fields })
  const paid: Figure = { rappel: 'figure/1', name: 'paid', table: 'payments', of: { count: true }, by: 'claim.status' }
  await putFigure(pool, paid, await readSurroundings(pool, BASE_URL), new Date())
  expect((await usesOfFields(pool, await table())).get('status')).toEqual([{ kind: 'figure', name: 'paid' }])
  await renameField(pool, { table: 'claims', from: 'status', to: 'state' }, true, null)
  expect((await readFigureRow(pool, 'paid'))?.definition).toMatchObject({ by: 'claim.state' })
})

test('a field that is removed pauses what is live and speaks of it, and stays in the log; one that names its records is not removed', async () => {
  await goLive(engine, settled)
  await engine.pool.query(`insert into data.claims (owner) values ($1)`, [ines])
  expect(await removeField(engine.pool, 'claims', 'status', false)).toMatchObject({ done: false, uses: [{ kind: 'workflow', name: 'Settled', inForce: true }] })
  expect((await usesOfFields(engine.pool, await table())).get('due')).toEqual([])
  expect((await removeField(engine.pool, 'claims', 'status', true)).done).toBe(true)
  expect((await readWorkflowRow(engine.pool, 'Settled'))?.state).toBe('paused')
  expect(await many(engine.pool, `select count(*) as n from rappel_change.claims`)).toEqual([{ n: 1 }])
  await expect(removeField(engine.pool, 'claims', 'number', true)).rejects.toThrow('names a record')
  await removeField(engine.pool, 'claims', 'owner', true)
  expect((await table()).ownerField).toBeUndefined()
  await engine.pool.query('update data.claims set amount = 3')
  expect((await many(engine.pool, `select from rappel_change.claims where kind = 'changed'`)).length).toBe(1)
})

test('a table whose triggers somebody switched off, or took away, is told of; saving a field brings back what is gone', async () => {
  const uncaptured = async () => (await readStanding(engine.pool)).uncaptured
  expect(await uncaptured()).toEqual([])
  await engine.pool.query('alter table data.claims disable trigger rappel_capture_update')
  expect(await uncaptured()).toEqual(['Claims'])
  await engine.pool.query('alter table data.claims enable trigger user')
  expect(await uncaptured()).toEqual([])
  await engine.pool.query('drop trigger rappel_capture_insert on data.claims')
  expect(await uncaptured()).toEqual(['Claims'])
  await putTable(engine.pool, CLAIMS)
  expect(await uncaptured()).toEqual([])
})

test('unique values are kept to whatever their case; where some are there twice, the field cannot be unique', async () => {
  const unique = async () => putTable(engine.pool, { ...CLAIMS, fields: CLAIMS.fields.map((f) => (f.name === 'contact_email' ? { ...f, unique: true } : f)) })
  await engine.pool.query(`insert into data.claims (contact_email) values ('a@x.example'), ('A@x.example '), (null), (null)`)
  await expect(unique()).rejects.toThrow('several records have')
  await engine.pool.query(`delete from data.claims where contact_email like 'A%'`)
  await unique()
  await expect(engine.pool.query(`insert into data.claims (contact_email) values ('A@X.example')`)).rejects.toThrow('unique')
  await putTable(engine.pool, CLAIMS)
  await engine.pool.query(`insert into data.claims (contact_email) values ('A@X.example')`)
})

test('fields are put in order; a table is put away and taken back, and deleted once nothing points at it', async () => {
  await orderFields(engine.pool, 'claims', ['amount', 'number'])
  expect((await table()).fields.map((f) => f.name).slice(0, 3)).toEqual(['amount', 'number', 'status'])
  await putTable(engine.pool, { ...CLAIMS, archived: true })
  expect((await table()).archived).toBe(true)
  await putTable(engine.pool, CLAIMS)
  expect((await table()).archived).toBeUndefined()
  await putTable(engine.pool, {
    name: 'visits',
    label: 'Visits',
    singular: 'visit',
    titleField: 'name',
    fields: [
      { name: 'name', label: 'Name', type: 'text' },
      { name: 'claim', label: 'Claim', type: 'link', table: 'claims' },
    ],
  })
  await expect(removeTable(engine.pool, 'claims', true)).rejects.toThrow('visits: Claim')
  await removeTable(engine.pool, 'visits', false)
  await goLive(engine, newClaimWorkflow())
  await engine.startWorker()
  await engine.pool.query('insert into data.claims (owner) values ($1)', [ines])
  await until('the mail', () => engine.room.store.list({}).length === 1)
  expect(await removeTable(engine.pool, 'claims', false)).toMatchObject({ done: false, records: 1, uses: [{ kind: 'workflow', name: 'New claim' }] })
  expect((await removeTable(engine.pool, 'claims', true)).done).toBe(true)
  expect([...(await readSchema(engine.pool)).keys()]).toEqual(['person'])
  expect((await readWorkflowRow(engine.pool, 'New claim'))?.state).toBe('paused')
  await makeClaims(engine.pool)
  await engine.pool.query('insert into data.claims (owner) values ($1)', [ines])
  expect(await many(engine.pool, `select id, kind from rappel_change.claims order by rappel_change.claims.id desc limit 1`)).toMatchObject([{ kind: 'created' }])
})
