import { mkdtemp, rm, writeFile } from 'node:fs/promises'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import readXlsxFile from 'read-excel-file/node'
import type { Condition } from '@/core/document/condition'
import { must } from '@/core/must'
import { exportRecords } from '@/engine/bulk/export'
import { forecastBulk } from '@/engine/bulk/forecast'
import { RowsRefused } from '@/engine/bulk/import'
import { proposeFrom } from '@/engine/bulk/propose'
import { type Bulk, doBulk } from '@/engine/bulk/write'
import { readReviewSetting } from '@/engine/program'
import { listBulk, setOffBy } from '@/store/bulk/log'
import { catchUp, countPassedBy } from '@/store/catch-up'
import { listChanges } from '@/store/changes'
import { many, one } from '@/store/database'
import { writeSettings } from '@/store/settings'
import { putTable, readSchema } from '@/store/tables'
import { INES, makeClaims, newClaimWorkflow, RAFI } from '../support/claims'
import { BASE_URL, type Engine, goLive, startEngine } from '../support/engine'
import { type Machine, machine } from '../support/machine'

/** Many records at once: files, mass edits and deletions, what they set off, and what would have come of them. */

let engine: Engine
let m: Machine
let folder: string
let ines: number
beforeEach(async () => {
  engine = await startEngine()
  ines = (await makeClaims(engine.pool)).ines
  folder = await mkdtemp(join(tmpdir(), 'rappel-bulk-'))
  m = machine(engine.pool, new Date())
})
afterEach(async () => {
  await engine.stop()
  await rm(folder, { recursive: true, force: true })
})

const by = { kind: 'person' as const, person: 1, name: 'Ines Okafor' }
let count = 0
async function importOf(content: string, parts: Partial<Extract<Bulk, { kind: 'import' }>> = {}): Promise<Bulk> {
  const path = join(folder, `f${count++}`)
  await writeFile(path, content)
  return { kind: 'import', table: 'claims', path, key: null, deleteMissing: false, partly: false, ...parts }
}
const options = async () => ({ setting: await readReviewSetting(engine.pool) })
const write = async (bulk: Bulk, quiet = false) => doBulk(engine.pool, bulk, { by, name: 'a file', quiet }, await options())
const forecast = async (bulk: Bulk) => forecastBulk(engine.pool, bulk, by, BASE_URL, await options())
const claims = () => many<Record<string, unknown>>(engine.pool, 'select number, status, amount::text as amount, owner, note, due::text as due from data.claims order by id')
const refused = async (work: Promise<unknown>) => {
  const error = await work.then(
    () => null,
    (e: unknown) => e,
  )
  expect(error).toBeInstanceOf(RowsRefused)
  return (error as RowsRefused).refusals
}

test('a file creates records: headings by label, ways recognised, people by e-mail or name, blanks by their defaults and automatic numbers', async () => {
  const written = await write(await importOf('Number;STATUS;Amount;Owner;Due;Elsewhere\n;;1.234,50;ines@office.example;31.12.2026;x\nX-2;in review;12,00;rafi demir;1.2.2026;\n'))
  expect(written).toMatchObject({ created: 2, changed: 0, unchanged: 0, deleted: 0, refused: 0 })
  expect(await claims()).toEqual([
    { number: 'CL-0001', status: 'New', amount: '1234.5', owner: ines, note: null, due: '2026-12-31' },
    { number: 'X-2', status: 'In review', amount: '12', owner: ines + 1, note: null, due: '2026-02-01' },
  ])
  const { changes } = await listChanges(engine.pool, await readSchema(engine.pool), { table: 'claims', limit: 10 })
  expect(changes.map((c) => [c.kind, c.by.kind, c.by.name])).toEqual([
    ['created', 'import', 'Ines Okafor'],
    ['created', 'import', 'Ines Okafor'],
  ])
  expect(new Set(changes.map((c) => c.transaction)).size).toBe(1)
})

test('by a key field rows change what is there and create what is not; what says the same changes nothing; what is missing goes where asked', async () => {
  await write(await importOf('number,amount,note\nA,1,old\nB,2,old\nC,3,old\n'))
  const again = 'number,amount\nA,1\nB,20\nD,4\n'
  expect(await write(await importOf(again, { key: 'number' }))).toMatchObject({ created: 1, changed: 1, unchanged: 1, deleted: 0 })
  expect((await claims()).map((c) => `${c.number} ${c.amount} ${c.note}`)).toEqual(['A 1 old', 'B 20 old', 'C 3 old', 'D 4 null'])
  expect(await write(await importOf(again, { key: 'number', deleteMissing: true }))).toMatchObject({ created: 0, changed: 0, unchanged: 3, deleted: 1 })
  expect((await claims()).map((c) => c.number)).toEqual(['A', 'B', 'D'])
  const ids = (await many<{ id: number }>(engine.pool, 'select id from data.claims order by id')).map((r) => r.id)
  expect(await write(await importOf(`id,note\n${ids[0]},by id\n`, { key: 'id' }))).toMatchObject({ changed: 1, created: 0 })
  const other = await write(await importOf(`id,note\n${ids[1]},by id too\n99999,nobody\n,a new one\n`, { key: 'id', partly: true }))
  expect([other.changed, other.created, other.refusals.map((r) => `${r.row} ${r.problems[0]?.message}`)]).toEqual([
    1,
    1,
    ['3 No record has this id, and new ones are given theirs.'],
  ])
  // where rows find their records by something else, ids are let alone
  expect(await write(await importOf(`id,number,note\n77777,A,let alone\n`, { key: 'number' }))).toMatchObject({ changed: 1, created: 0 })
  expect((await many<{ id: number }>(engine.pool, 'select id from data.claims where number = $1', ['A'])).map((r) => r.id)).toEqual([ids[0]])
})

test('all or nothing: rows that are refused say which and why, and nothing is written; or the good ones are taken', async () => {
  await engine.pool.query('create unique index on data.claims (note); alter table data.claims add constraint small check (amount < 1000)')
  await write(await importOf('number,note\nA,taken\nB,x\nB,y\n'))
  const file = 'number,amount,owner,note\nC,ten,,c\nD,4,Nobody,d\nE,5,,taken\nF,6,,f\nG,5000,,g\nH,8,,h,too many\nF,9,,i\nB,1,,j\n'
  const unreadable = await refused(write(await importOf(file, { key: 'number' })))
  expect(unreadable.map(({ row, problems }) => `${row} ${problems.map((p) => `${p.path} ${p.message}`).join('; ')}`)).toEqual([
    '2 /amount Amount takes a number, written with a point before decimals, not "ten".',
    '3 /owner Owner: there is no person called "Nobody".',
    '7  The row has 5 cells where there are 4 headings. A text with a comma in it stands in quotes.',
    '8 /number Row 5 has the same one already.',
    '9 /number Several records have it, so that it is not known which is meant.',
  ])
  expect((await claims()).length).toBe(3)
  const partly = await write(await importOf(file, { key: 'number', partly: true }))
  expect(partly).toMatchObject({ created: 1, changed: 0, refused: 7 })
  expect(partly.refusals.filter((r) => [4, 6].includes(r.row)).map((r) => `${r.row} ${r.problems[0]?.message}`)).toEqual([
    '4 Another record has the same value already. Key (note)=(taken) already exists.',
    '6 A value breaks the rule small of its table.',
  ])
  expect((await claims()).map((c) => c.number)).toEqual(['A', 'B', 'B', 'F'])
  const broken = await refused(write(await importOf('number,amount\nX,1\nY,2000\nZ,3\n')))
  expect(broken.map((r) => r.row)).toEqual([3])
  expect((await claims()).length).toBe(4)
})

const all: Condition = { field: 'id', op: 'is filled' }

test('a mass edit and a mass deletion are one transaction each, in the log as one thing with what it set off', async () => {
  await write(await importOf(`number,amount,owner\n${Array.from({ length: 30 }, (_, i) => `N${i},${i},${i % 2 ? INES : RAFI}`).join('\n')}\n`))
  await goLive(engine, newClaimWorkflow({ name: 'Settled', cue: { kind: 'record', on: ['changed'], fields: ['status'] } }))
  const edited = await write({ kind: 'edit', table: 'claims', which: { where: { field: 'amount', op: 'at least', value: 10 } }, set: { status: 'Settled' } })
  expect(edited).toMatchObject({ changed: 20, unchanged: 0 })
  expect(await write({ kind: 'edit', table: 'claims', which: { where: all }, set: { status: 'Settled' } })).toMatchObject({ changed: 10, unchanged: 20 })
  await m.settle()
  expect((await listBulk(engine.pool, { limit: 10 })).map((b) => `${b.kind} ${b.tbl} ${b.created} ${b.changed} ${b.unchanged}`)).toEqual([
    'edit claims 0 10 20',
    'edit claims 0 20 0',
    'import claims 30 0 0',
  ])
  expect(await setOffBy(engine.pool, edited.bulk)).toEqual([{ workflow: 'Settled', runs: 20, failed: 0, messages: 20, notices: 0 }])
  expect(await write({ kind: 'delete', table: 'claims', which: { where: { field: 'amount', op: 'less than', value: 5 } } })).toMatchObject({ deleted: 5 })
  expect((await claims()).length).toBe(25)
})

test('a forecast says what would come of it to the mail, and leaves nothing behind, not even a number', async () => {
  await write(await importOf(`number,amount,owner\n${Array.from({ length: 12 }, (_, i) => `N${i},${i},${i % 3 ? INES : RAFI}`).join('\n')}\n`))
  await goLive(engine, newClaimWorkflow({ name: 'New ones' }))
  await goLive(
    engine,
    newClaimWorkflow({
      name: 'Large ones',
      cue: { kind: 'record', on: ['changed'] },
      conditions: { all: [{ field: 'amount', op: 'more than', value: 105 }] },
      actions: [{ name: 'tell', do: 'email', to: [{ field: 'owner' }, { address: 'desk@x.example' }], delivery: 'each', subject: 'S', body: 'B', format: 'plain' }],
      limits: { perDay: 9 },
    }),
  )
  await goLive(
    engine,
    newClaimWorkflow({ name: 'Stay so', cue: { kind: 'record', on: ['changed'], stays: 'P1D' }, conditions: { all: [{ field: 'amount', op: 'at least', value: 110 }] } }),
  )
  const before = await one<{ n: number; last: number }>(
    engine.pool,
    `select (select count(*)::int from rappel.queue) as n, (select last_value::int from rappel.bulk_id_seq) as last`,
  )
  const file = `number,amount\n${Array.from({ length: 12 }, (_, i) => `N${i},${i < 2 ? i : i + 100}`).join('\n')}\n,7\nX-1,8\nX-2,bad\n`
  const told = await forecast(await importOf(file, { key: 'number' }))
  expect(told).toMatchObject({ created: 2, changed: 10, unchanged: 2, refused: 1, changes: 12, looked: 12 })
  // 6 are over 105; each writes to the owner and the desk, and nine of these twelve may go
  expect(told.workflows).toEqual([
    { name: 'Large ones', firings: 6, failing: 0, waits: 0, messages: 9, notices: 0 },
    { name: 'New ones', firings: 2, failing: 0, waits: 0, messages: 0, notices: 0 },
    { name: 'Stay so', firings: 0, failing: 0, waits: 2, messages: 0, notices: 0 },
  ])
  expect(told.messages).toBe(9)
  expect(told.recipients.reduce((sum, r) => sum + r.messages, 0)).toBe(9)
  expect(await one(engine.pool, `select (select count(*)::int from rappel.queue) as n, (select last_value::int from rappel.bulk_id_seq) as last`)).toEqual(before)
  expect((await claims()).length).toBe(12)
  expect((await write(await importOf('amount\n1\n'))).created).toBe(1)
  expect((await claims()).at(-1)?.number).toBe('CL-0001')
})

test('forecast and the deed agree, mail for mail and notice for notice, over made-up edits', async () => {
  await write(await importOf(`number,amount,owner\n${Array.from({ length: 60 }, (_, i) => `N${i},${(i * 37) % 50},${i % 3 ? INES : RAFI}`).join('\n')}\n`))
  await m.settle()
  for (const [i, op] of (['more than', 'less than'] as const).entries())
    await goLive(
      engine,
      newClaimWorkflow({
        name: `W${i}`,
        cue: { kind: 'record', on: ['changed'] },
        conditions: {
          all: [
            { field: 'amount', op, value: 20 },
            { field: 'owner.name', op: 'contains', value: i ? 'Rafi' : 'Ines' },
          ],
        },
        ...(i ? { actions: [...newClaimWorkflow().actions, { name: 'say', do: 'notice' as const, to: [{ field: 'owner' }], text: 'N' }] } : {}),
      }),
    )
  for (const amount of [3, 30, 20, 45]) {
    const edit: Bulk = { kind: 'edit', table: 'claims', which: { where: { field: 'amount', op: 'at least', value: amount - 15 } }, set: { amount } }
    const told = await forecast(edit)
    const done = await write(edit)
    await m.settle()
    expect([done.changed, (await setOffBy(engine.pool, done.bulk)).map(({ workflow, runs, messages, notices }) => ({ name: workflow, firings: runs, messages, notices }))]).toEqual(
      [told.changed, told.workflows.map(({ name, firings, messages, notices }) => ({ name, firings, messages, notices }))],
    )
  }
})

test('quietly: what is written is logged as ever, workflows let it pass by, counted, and can be run for it later', async () => {
  await goLive(engine, newClaimWorkflow({ name: 'New ones' }))
  await write(await importOf(`number,owner\nA,${INES}\nB,${RAFI}\n`), true)
  await write(await importOf(`number,owner\nC,${INES}\n`))
  await m.settle()
  expect((await many(engine.pool, 'select title from rappel.run')).length).toBe(1)
  expect([...(await countPassedBy(engine.pool))]).toEqual([['New ones', 2]])
  expect((await listBulk(engine.pool, { limit: 5 })).map((b) => b.quiet)).toEqual([false, true])
  expect(await catchUp(engine.pool, 'New ones')).toBe(2)
  await m.settle()
  expect((await many<{ title: string }>(engine.pool, 'select title from rappel.run order by title')).map((r) => r.title)).toEqual(['A', 'B', 'C'])
  expect([...(await countPassedBy(engine.pool))]).toEqual([])
  expect(await catchUp(engine.pool, 'New ones')).toBe(0)
})

async function exported(kind: 'csv' | 'xlsx' | 'jsonl', query: { where?: Condition; order?: string } = {}): Promise<Buffer> {
  const { setting } = await options()
  const parts: Buffer[] = []
  for await (const part of exportRecords(engine.pool, kind, { table: must(setting.schema.get('claims')), ...query }, setting)) parts.push(Buffer.from(part))
  return Buffer.concat(parts)
}

test('a table is proposed from a file: what all values say, people and links by what they name', async () => {
  await write(await importOf('number,amount\nA-1,1\nA-2,2\nA-3,3\n'))
  const path = join(folder, 'visits.csv')
  await writeFile(
    path,
    `Ref;Claim;By;On;Fee;Kind\n${Array.from({ length: 30 }, (_, i) => `V-${100 + i};A-${1 + (i % 3)};${i % 2 ? 'Ines Okafor' : 'rafi@office.example'};${13 + (i % 9)}.2.2026;${i},50;${i % 2 ? 'In person' : 'Call'}`).join('\n')}\n`,
  )
  const { setting } = await options()
  const { table, rows, ways } = await proposeFrom(engine.pool, path, 'Visits', setting.schema, setting.organisation)
  expect([rows, ways]).toEqual([30, { decimal: ',', dates: 'dmy' }])
  expect(table).toMatchObject({ name: 'visits', singular: 'visit', titleField: 'ref', ownerField: 'by' })
  expect(table.fields.map((f) => `${f.name} ${f.type} ${f.number ?? f.table ?? f.choices?.join('/') ?? ''}`)).toEqual([
    'ref text V-{000}',
    'claim link claims',
    'by person ',
    'on date ',
    'fee money ',
    'kind choice Call/In person',
  ])
  await putTable(engine.pool, table)
  const made: Bulk = { kind: 'import', table: 'visits', path, ways, key: null, deleteMissing: false, partly: false }
  expect((await doBulk(engine.pool, made, { by, name: 'visits.csv', quiet: false }, await options())).created).toBe(30)
  await engine.pool.query(`insert into data.visits (fee) values (1)`)
  expect(await many(engine.pool, 'select ref, claim, fee::float from data.visits order by id desc limit 2')).toEqual([
    { ref: 'V-130', claim: null, fee: 1 },
    { ref: 'V-129', claim: 3, fee: 29.5 },
  ])
})

test('what is exported is read back the same, in every kind of file; formulas are guarded', async () => {
  await writeSettings(engine.pool, { zone: 'Pacific/Auckland' })
  await write(
    await importOf(
      `number,status,amount,owner,note,due\nA,New,1234.5,${INES},"=HYPERLINK(""x"")",2026-02-03\nB,Settled,-0.07,Rafi Demir,"two\nlines, and ""quotes""",\nC,In review,,,'kept,2026-12-31\n`,
    ),
  )
  const before = await claims()
  for (const kind of ['csv', 'xlsx', 'jsonl'] as const) {
    const path = join(folder, kind)
    await writeFile(path, await exported(kind))
    const said = { Id: null, id: null, created_at: null, updated_at: null }
    expect([kind, await write({ kind: 'import', table: 'claims', path, columns: said, key: 'number', deleteMissing: true, partly: false })]).toMatchObject([
      kind,
      { created: 0, changed: 0, unchanged: 3, deleted: 0 },
    ])
  }
  expect(await claims()).toEqual(before)
  const text = (await exported('csv', { order: '-amount', where: { field: 'amount', op: 'is filled' } })).toString()
  expect(text.split('\r\n')[1]).toBe(`1,A,New,1234.5,Ines Okafor,,"'=HYPERLINK(""x"")",2026-02-03`)
  expect(text.split('\r\n')[0]).toBe('\ufeffId,Number,Status,Amount,Owner,Contact email,Note,Due')
})

// A second library reads the workbook: read-excel-file (npm).
test('another library reads the workbook with its types', async () => {
  await write(await importOf(`number,amount,due\nA,12.5,2026-02-03\n`))
  const [sheet] = await readXlsxFile(await exported('xlsx'))
  const [head, row] = must(sheet).data
  const at = (name: string) => row?.[head?.indexOf(name) ?? -1]
  expect([at('Number'), at('Amount'), at('Due')]).toEqual(['A', 12.5, new Date('2026-02-03T00:00:00Z')])
})
