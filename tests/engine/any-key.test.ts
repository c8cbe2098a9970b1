import { randomUUID } from 'node:crypto'
import type { Workflow } from '@/core/document/document'
import { review } from '@/core/review/review'
import type { RecordId, TableDef } from '@/core/values/tables'
import { countFits } from '@/engine/occasions/fits'
import { keepPressed, tryPress } from '@/engine/occasions/press'
import { readReviewSetting, readSurroundings } from '@/engine/program'
import { rehearse } from '@/engine/rehearsal/rehearse'
import { latestChanges, listChanges, readChange } from '@/store/changes'
import { many, one } from '@/store/database'
import { putFigure } from '@/store/figures/definitions'
import { listMessages } from '@/store/messages'
import { listRecords, readRecord } from '@/store/records'
import { listRuns } from '@/store/runs'
import { listStays } from '@/store/stays'
import { putTable, readSchema } from '@/store/tables'
import { readWorkflowRow } from '@/store/workflows'
import { makeClaims } from '../support/claims'
import { BASE_URL, type Engine, goLive, startEngine, until } from '../support/engine'
import { KEYS_TRIED, keyed, narrow } from '../support/keys'
import { machine } from '../support/machine'

/** Berths that vessels lie at; both have the keys that are tried. */
const tables = (key: 'number' | 'uuid' | 'text'): TableDef[] => {
  const own = key === 'number' ? {} : { key }
  return [
    { name: 'berths', label: 'Berths', singular: 'berth', titleField: 'name', ...own, fields: [{ name: 'name', label: 'Name', type: 'text' }] },
    {
      name: 'vessels',
      label: 'Vessels',
      singular: 'vessel',
      titleField: 'name',
      ownerField: 'owner',
      ...own,
      fields: [
        { name: 'name', label: 'Name', type: 'text' },
        { name: 'owner', label: 'Owner', type: 'person' },
        { name: 'berth', label: 'Berth', type: 'link', table: 'berths' },
        { name: 'state', label: 'State', type: 'choice', choices: ['At sea', 'In port'] },
        { name: 'seen', label: 'Seen', type: 'number' },
      ],
    },
  ]
}

const workflow = (parts: Partial<Workflow>): Workflow => ({
  rappel: 'workflow/1',
  name: 'Vessels',
  table: 'vessels',
  cue: { kind: 'record', on: ['created', 'changed'] },
  conditions: { all: [{ field: 'state', op: 'is', value: 'In port' }] },
  actions: [{ name: 'tell', do: 'email', to: [{ field: 'owner' }], subject: '{{ vessel.name }} at {{ vessel.berth.name }}', body: '{{ link }}', format: 'plain' }],
  ...parts,
})

let engine: Engine
let owner: number
beforeEach(async () => {
  engine = await startEngine()
  owner = (await makeClaims(engine.pool)).ines
})
afterEach(() => engine.stop())

const mail = (count: number) => until(`${count} mails`, () => (engine.room.store.list({}).length >= count ? engine.room.store.list({}).map((m) => m.subject) : null))

test.each([...KEYS_TRIED, 'int'] as const)('records with a %s for a key: fired, waited for, run by hand, updated, looked up and back at', async (kind) => {
  const { pool } = engine
  const key = kind === 'int' ? 'number' : kind
  for (const table of tables(key)) await putTable(pool, table)
  if (kind === 'int') for (const { name } of tables(key)) await narrow(pool, name)
  const [berth, gull, tern] = [keyed(key, 7), keyed(key, 1), keyed(key, 2)] as [RecordId, RecordId, RecordId]
  await pool.query('insert into data.berths (id, name) values ($1, $2)', [berth, 'North quay'])
  await goLive(
    engine,
    workflow({
      actions: [
        ...workflow({}).actions,
        { name: 'seen', do: 'update', set: { seen: { formula: '1 + 1' } } },
        { name: 'another', do: 'create', table: 'berths', set: { name: { text: 'Made for {{ vessel.name }}' } } },
        { name: 'berth', do: 'update', target: 'vessel.berth', set: { name: 'Taken' } },
      ],
    }),
  )
  await goLive(engine, workflow({ name: 'Lasting', cue: { kind: 'record', on: ['created', 'changed'], stays: 'PT30M' } }))
  await goLive(engine, workflow({ name: 'Pressed', cue: { kind: 'by hand', per: 'record' } }))
  await engine.startWorker()

  await pool.query('insert into data.vessels (id, name, owner, berth, state) values ($1, $2, $3, $4, $5)', [gull, 'Gull', owner, berth, 'In port'])
  await pool.query('insert into data.vessels (id, name, owner, berth, state) values ($1, $2, $3, $4, $5)', [tern, 'Tern', owner, berth, 'At sea'])
  expect(await mail(1)).toEqual(['Gull at North quay'])
  await until('what the run wrote', async () => (await readRecord(pool, { name: 'vessels' }, gull))?.seen === 2)
  const made = await one<{ id: RecordId }>(pool, `select id from data.berths where name = 'Made for Gull'`)
  expect(typeof made.id).toBe(key === 'number' ? 'number' : 'string')
  expect(await readRecord(pool, { name: 'berths' }, berth)).toMatchObject({ id: berth, name: 'Taken' })

  const runs = await listRuns(pool, { table: 'vessels', record: gull, limit: 5 })
  expect(runs.map((r) => [r.workflow, r.record])).toEqual([['Vessels', gull]])
  expect((await listRuns(pool, { table: 'vessels', record: tern, limit: 5 })).length).toBe(0)
  expect((await listMessages(pool, { table: 'vessels', record: gull, limit: 5 })).map((m) => m.record)).toEqual([gull])
  const stays = await until('the wait', async () => {
    const found = await listStays(pool, { table: 'vessels', record: gull, open: true, limit: 5 })
    return found.length ? found : null
  })
  expect(stays.map((s) => [s.workflow, s.record])).toEqual([['Lasting', gull]])

  const schema = await readSchema(pool)
  const changes = await latestChanges(pool, schema, 'vessels', gull, 10)
  expect(changes.map((c) => [c.kind, c.record, c.after?.id])).toEqual([
    ['changed', gull, gull],
    ['created', gull, gull],
  ])
  expect((await readChange(pool, schema, changes[1]?.id as number))?.after).toMatchObject({ id: gull, berth })
  expect((await listChanges(pool, schema, { table: 'vessels', record: tern, limit: 5 })).changes.map((c) => c.record)).toEqual([tern])
  const everywhere = await listChanges(pool, schema, { limit: 100 })
  expect(everywhere.changes.filter((c) => c.table === 'vessels').map((c) => c.record)).toEqual([gull, tern, gull])

  const surroundings = await readSurroundings(pool, BASE_URL)
  const asked = { press: randomUUID(), records: [tern], asked: {}, by: { kind: 'person' as const, person: owner, name: 'Ines Okafor' }, at: new Date() }
  await pool.query(`update data.vessels set state = 'In port' where id = $1`, [tern])
  await mail(2)
  const pressed = workflow({ name: 'Pressed', cue: { kind: 'by hand', per: 'record' } })
  const tried = await tryPress(pool, pressed, asked, surroundings, true)
  if (!('pressed' in tried)) throw new Error(JSON.stringify(tried))
  const row = await readWorkflowRow(pool, 'Pressed')
  await keepPressed(pool, { id: row?.id ?? 0, name: 'Pressed', version: 1 }, asked, tried.pressed)
  expect((await mail(3)).sort()).toEqual(['Gull at North quay', 'Tern at Taken', 'Tern at Taken'])
  expect(await tryPress(pool, pressed, { ...asked, records: [keyed(key, 99)] }, surroundings, true)).toEqual({ missing: [keyed(key, 99)] })

  const span = { from: new Date(Date.now() - 3_600_000), to: new Date(Date.now() + 60_000) }
  const findings = review(workflow({}), await readReviewSetting(pool))
  const rehearsed = await rehearse(pool, workflow({}), findings, surroundings, { span, samples: 10, live: null })
  expect(rehearsed.samples.map((s) => [s.change.record, s.messages[0]?.subject]).sort()).toEqual(
    [
      [gull, 'Gull at North quay'],
      [tern, 'Tern at Taken'],
    ].sort(),
  )
  const setting = { schema, people: surroundings.people, organisation: surroundings.organisation }
  const vessels = schema.get('vessels') as TableDef
  expect((await listRecords(pool, vessels, setting, { where: { field: 'berth', op: 'is', value: berth }, limit: 5, after: gull })).map((r) => r.id)).toEqual([tern])
  expect(await many(pool, 'select 1 from rappel.run where state = $1', ['failed'])).toEqual([])
})

const MANY = 11

test.each(KEYS_TRIED)(
  'records with a %s for a key are gone through page by page: counted before going live, at a moment of the clock, and by a figure that groups by them',
  async (key) => {
    const { pool } = engine
    for (const table of tables(key)) await putTable(pool, table)
    const m = machine(pool, new Date('2026-03-02T06:00:00Z'))
    const ids = Array.from({ length: MANY }, (_, i) => keyed(key, i + 1))
    if (key === 'number') ids[0] = -7 // another program may count from below nothing
    await m.write(m.now(), async (db) => {
      for (const [i, id] of ids.slice(0, 3).entries()) await db.query('insert into data.berths (id, name) values ($1, $2)', [id, `Quay ${i}`])
      for (const [i, id] of ids.entries())
        await db.query(`insert into data.vessels (id, name, owner, berth, state) values ($1, $2, $3, $4, 'In port')`, [id, `V${i}`, owner, ids[i % 3]])
    })
    const inPort = workflow({ name: 'Morning', firing: 'every', cue: { kind: 'timetable', cron: '0 7 * * *', per: 'record' } })
    const byFormula: Workflow = { ...inPort, conditions: { all: [{ field: 'name', op: 'is not', value: { formula: '"V4"' } }] } }
    expect([await countFits(pool, inPort, await readSurroundings(pool, BASE_URL)), await countFits(pool, byFormula, await readSurroundings(pool, BASE_URL))]).toEqual([
      MANY,
      MANY - 1,
    ])

    await putFigure(pool, { rappel: 'figure/1', name: 'by_berth', table: 'vessels', of: { count: true }, by: 'berth' }, await readSurroundings(pool, BASE_URL), m.now())
    await goLive(engine, byFormula, m.now())
    const perBerth: Workflow = {
      ...inPort,
      name: 'By berth',
      cue: { kind: 'timetable', cron: '0 7 * * *', per: 'group', over: { figure: 'by_berth' } },
      conditions: { all: [{ field: 'figure.value', op: 'more than', value: 3 }] },
      actions: [{ name: 'tell', do: 'email', to: [{ address: 'd@x.example' }], subject: '{{ figure.group.name }} has {{ figure.value }}', body: 'B', format: 'plain' }],
    }
    await goLive(engine, perBerth, m.now())
    m.set(new Date('2026-03-02T07:00:00Z'))
    await m.settle({ recordsAPage: 4 })
    const runs = await listRuns(pool, { limit: 100 })
    expect(
      runs
        .filter((r) => r.workflow === 'Morning')
        .map((r) => r.record)
        .sort(),
    ).toEqual(ids.filter((_, i) => i !== 4).sort())
    const subjects = (await listMessages(pool, { workflow: 'By berth', limit: 10 })).map((one) => one.subject)
    expect(subjects.sort()).toEqual(['Quay 0 has 4', 'Quay 1 has 4'])
    expect(await many(pool, 'select 1 from rappel.run where state = $1', ['failed'])).toEqual([])
  },
)

test('a bigint key that JavaScript cannot hold is kept digit by digit', async () => {
  const { pool } = engine
  for (const table of tables('number')) await putTable(pool, table)
  await goLive(engine, workflow({}))
  await engine.startWorker()
  const id = '1234567890123456789'
  await pool.query('insert into data.vessels (id, name, owner, state) values ($1, $2, $3, $4)', [id, 'Gull', owner, 'In port'])
  await mail(1)
  expect((await listRuns(pool, { table: 'vessels', record: id, limit: 5 })).map((r) => r.record)).toEqual([id])
  const [change] = await latestChanges(pool, await readSchema(pool), 'vessels', id, 5)
  expect([change?.record, change?.after?.id]).toEqual([id, id])
  expect((await one<{ body: string }>(pool, 'select body from rappel.message')).body).toBe(`${BASE_URL}/records/vessels/${id}`)
})

test('a key that becomes another type: ids of before are carried on, or the log is begun anew where they cannot be', async () => {
  const { pool } = engine
  for (const table of tables('number')) await putTable(pool, table)
  await pool.query(`insert into data.vessels (name) values ('Gull')`)
  const [first] = await latestChanges(pool, await readSchema(pool), 'vessels', 1, 5)
  await pool.query('alter table data.vessels alter column id drop identity')
  await pool.query('alter table data.vessels alter column id type text')
  await pool.query(`update data.vessels set name = 'Tern'`)
  const schema = await readSchema(pool)
  expect((await latestChanges(pool, schema, 'vessels', '1', 5)).map((c) => [c.kind, c.record])).toEqual([
    ['changed', '1'],
    ['created', '1'],
  ])
  expect((await readChange(pool, schema, first?.id as number))?.record).toBe('1')
  await pool.query(`alter table data.vessels alter column id type uuid using md5(id)::uuid`)
  await pool.query(`update data.vessels set name = 'Skua'`)
  const { id } = await one<{ id: string }>(pool, 'select id from data.vessels')
  expect((await latestChanges(pool, await readSchema(pool), 'vessels', id, 5)).map((c) => [c.kind, c.record, c.after?.name])).toEqual([['changed', id, 'Skua']])
})
