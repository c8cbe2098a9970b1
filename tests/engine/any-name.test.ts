import type { Workflow } from '@/core/document/document'
import { must } from '@/core/must'
import { review } from '@/core/review/review'
import { readReviewSetting, readSurroundings } from '@/engine/program'
import { rehearse } from '@/engine/rehearsal/rehearse'
import { latestChanges } from '@/store/changes'
import { many } from '@/store/database'
import { listFigures, putFigure } from '@/store/figures/definitions'
import { listGroups } from '@/store/figures/values'
import { listMessages } from '@/store/messages'
import { listRecords } from '@/store/records'
import { listRuns } from '@/store/runs'
import { putTable, readSchema } from '@/store/tables'
import { saveDraft } from '@/store/workflows'
import { BASE_URL, type Engine, goLive, startEngine, until } from '../support/engine'

/** What Rappel, its log, SQL, FEEL (OMG DMN 1.5), Liquid and JavaScript each give a meaning to; other programs' columns are called so too. */
const NAMES = (
  'before change record records recipient link why stay tick figure asked run owner person at xid by rec tbl row image n grp val amount day kind changed op key o d l m r w actor seq ' +
  'order group select table user primary desc limit offset null true false in if for and or then else return function between instance external some every satisfies not today now ' +
  'date time years months string number list context size first last length empty blank nil forloop contains constructor prototype undefined nan this title name'
).split(' ')

let engine: Engine
beforeEach(async () => {
  engine = await startEngine()
})
afterEach(() => engine.stop())

const values = Object.fromEntries(NAMES.map((name) => [name, `v ${name}`]))

test.each(['order', 'constructor'])('fields may be called as anything is called in Rappel and what it is made of, and one record as a %s', async (singular) => {
  const { pool } = engine
  await putTable(pool, { name: 'things', label: 'Things', singular, titleField: 'name', fields: NAMES.map((name) => ({ name, label: name, type: 'text' as const })) })
  const inFormula = NAMES.filter((name) => name !== 'name' && name !== 'title')
  const workflow: Workflow = {
    rappel: 'workflow/1',
    name: 'Names',
    table: 'things',
    cue: { kind: 'record', on: ['created', 'changed'] },
    firing: 'every',
    conditions: { all: NAMES.map((field) => ({ field, op: 'is', value: values[field] })) },
    actions: [
      {
        name: 'tell',
        do: 'email',
        to: [{ address: 'd@x.example' }],
        subject: NAMES.map((n) => `{{ ${singular}.${n} }}`).join('|'),
        body: '{{ before.constructor }}',
        format: 'plain',
      },
      { name: 'write', do: 'update', set: { title: { formula: inFormula.map((n) => `record.${n}`).join(' + ') } } },
    ],
  }
  const findings = review(workflow, await readReviewSetting(pool))
  expect(findings.filter((f) => f.level === 'error')).toEqual([])
  const surroundings = await readSurroundings(pool, BASE_URL)
  for (const name of ['at', 'n', 'grp', 'order', 'constructor'])
    await putFigure(
      pool,
      { rappel: 'figure/1', name: `by_${name}`, table: 'things', of: { count: true }, by: name, where: { all: [{ field: name, op: 'is filled' }] } },
      surroundings,
      new Date(),
    )
  await goLive(engine, workflow)
  await engine.startWorker()
  const columns = NAMES.map((name) => `"${name}"`).join(', ')
  await pool.query(`insert into data.things (${columns}) select ${columns} from jsonb_populate_record(null::data.things, $1)`, [JSON.stringify(values)])

  await until('the run', async () => (await listRuns(pool, { limit: 5 })).length > 0)
  expect((await listRuns(pool, { limit: 5 })).map((r) => r.error)).toEqual([null])
  expect((await listMessages(pool, { limit: 5 })).map((m) => m.subject)).toEqual([NAMES.map((n) => values[n]).join('|')])
  expect(await many(pool, 'select title from data.things')).toEqual([{ title: inFormula.map((n) => values[n]).join('') }])
  const schema = await readSchema(pool)
  expect((await latestChanges(pool, schema, 'things', 1, 10)).at(-1)?.after).toMatchObject(values)
  const span = { from: new Date(Date.now() - 3_600_000), to: new Date(Date.now() + 60_000) }
  expect((await rehearse(pool, workflow, findings, surroundings, { span, samples: 5, live: null })).firings).toBe(1)
  for (const { id, definition } of await listFigures(pool)) await until(definition.name, async () => (await listGroups(pool, id, 5)).length === 1)
  const things = must(schema.get('things'))
  for (const field of inFormula)
    expect((await listRecords(pool, things, surroundings, { where: { field, op: 'is', value: values[field] }, limit: 5, order: field })).length).toBe(1)
})

test('one record of a new table is not called as what means the same in every workflow; one that is may stay', async () => {
  const { pool } = engine
  const table = { name: 'stays', label: 'Stays', titleField: 'name', fields: [{ name: 'name', label: 'Name', type: 'text' as const }] }
  await expect(putTable(pool, { ...table, singular: 'stay' })).rejects.toMatchObject({ problems: [{ path: '/singular' }] })
  await putTable(pool, { ...table, singular: 'night' })
  await pool.query(`update rappel.table_def set singular = 'stay' where name = 'stays'`)
  await putTable(pool, { ...table, singular: 'stay', label: 'Stays of guests' })
  expect((await readSchema(pool)).get('stays')).toMatchObject({ singular: 'stay', label: 'Stays of guests' })
})

test('nothing is called as what stands at its address already', async () => {
  const { pool } = engine
  const workflow: Workflow = { rappel: 'workflow/1', name: 'New ones', table: 'things', cue: { kind: 'record', on: ['created'] }, actions: [] }
  for (const name of ['new', 'import', '.', '..']) await expect(saveDraft(pool, name, { ...workflow, name }, null)).rejects.toMatchObject({ problems: [{ path: '/name' }] })
  await saveDraft(pool, 'New ones', workflow, null)
  await expect(saveDraft(pool, 'New ones', { ...workflow, name: 'import' }, null)).rejects.toMatchObject({ problems: [{ path: '/name' }] })
  const table = { name: 'attach', label: 'Attach', singular: 'one', titleField: 'name', fields: [{ name: 'name', label: 'Name', type: 'text' as const }] }
  await expect(putTable(pool, table)).rejects.toMatchObject({ problems: [{ path: '/name' }] })
})
