import type { Workflow } from '@/core/document/document'
import type { TableDef } from '@/core/values/tables'
import { changeSettings } from '@/engine/change-settings'
import { Upkeep } from '@/engine/figures/upkeep'
import { readSurroundings } from '@/engine/program'
import { many, one } from '@/store/database'
import { listFigures, putFigure } from '@/store/figures/definitions'
import { listGroups } from '@/store/figures/values'
import { readSettings } from '@/store/settings'
import { putTable } from '@/store/tables'
import { BASE_URL, type Engine, goLive, startEngine } from '../support/engine'
import { type Machine, machine } from '../support/machine'

/** The organisation comes to live by the clocks of another place, while workflows and figures are live. */
let engine: Engine
let m: Machine
beforeEach(async () => {
  engine = await startEngine()
  m = machine(engine.pool, new Date('2026-03-02T03:00:00Z'))
  await changeSettings(engine.pool, { zone: 'UTC' }, BASE_URL, m.now())
  await putTable(engine.pool, CALLS)
})
afterEach(() => engine.stop())

const CALLS: TableDef = {
  name: 'calls',
  label: 'Calls',
  singular: 'call',
  titleField: 'name',
  fields: [
    { name: 'name', label: 'Name', type: 'text' },
    { name: 'came', label: 'Came', type: 'date-time' },
  ],
}

const morning: Workflow = {
  rappel: 'workflow/1',
  name: 'Morning',
  table: 'calls',
  cue: { kind: 'timetable', cron: '0 7 * * *', per: 'all', evenIfNone: true },
  actions: [{ name: 'tell', do: 'email', to: [{ address: 'd@x.example' }], subject: '{{ tick.at | date: "%d %H:%M" }}', body: 'B', format: 'plain' }],
}

const moments = async () =>
  (await many<{ at: Date; late: boolean }>(engine.pool, 'select at, late from rappel.tick order by at')).map((t) => `${t.at.toISOString()}${t.late ? ' late' : ''}`)
const subjects = async () => (await many<{ subject: string }>(engine.pool, 'select subject from rappel.message order by id')).map((r) => r.subject)

// Asia/Tokyo is nine hours before UTC and America/New_York five behind it in March until the 8th (IANA time zone database).
test.each([
  ['Asia/Tokyo', '20 hours', ['2026-03-02T07:00:00.000Z', '2026-03-03T22:00:00.000Z', '2026-03-04T22:00:00.000Z'], ['02 07:00', '04 07:00', '05 07:00']],
  ['America/New_York', '1 day 1 hour', ['2026-03-02T07:00:00.000Z', '2026-03-03T12:00:00.000Z', '2026-03-04T12:00:00.000Z'], ['02 07:00', '03 07:00', '04 07:00']],
])('timetables come by the clocks of %s from then on: none twice, none late, none at the hour of before', async (zone, before, expected, told) => {
  await goLive(engine, morning, m.now())
  await m.pass(before)
  await changeSettings(engine.pool, { zone }, BASE_URL, m.now())
  await m.passUntil(new Date('2026-03-05T00:00:00Z'))
  expect([await moments(), await subjects()]).toEqual([expected, told])
})

test('a figure by the day counts by the days of the other place at once, and moves on by them; nothing is crossed by that', async () => {
  const call = (name: string, came: string) => m.write(m.now(), (db) => db.query('insert into data.calls (name, came) values ($1, $2)', [name, came]))
  await call('a', '2026-03-01T12:00:00Z')
  await call('b', '2026-03-01T20:00:00Z') // in Tokyo the 2nd
  await call('c', '2026-03-02T01:00:00Z')
  await m.settle()
  const setting = await readSurroundings(engine.pool, BASE_URL)
  await putFigure(engine.pool, { rappel: 'figure/1', name: 'by_day', table: 'calls', of: { count: true }, by: { field: 'came', each: 'day' } }, setting, m.now())
  const today: Parameters<typeof putFigure>[1] = {
    rappel: 'figure/1',
    name: 'today',
    table: 'calls',
    of: { count: true },
    within: { field: 'came', window: 'today' },
    thresholds: [{ name: 'two', when: 'at least', value: 2 }],
  }
  await putFigure(engine.pool, today, setting, m.now())
  const values = async () => {
    const figures = await listFigures(engine.pool)
    return Object.fromEntries(
      await Promise.all(
        figures.map(async ({ id, name }) => [
          name,
          Object.fromEntries((await listGroups(engine.pool, id, 10)).filter((g) => Number(g.value) > 0).map((g) => [g.grp, Number(g.value)])),
        ]),
      ),
    )
  }
  expect(await values()).toEqual({ by_day: { '"2026-03-01"': 2, '"2026-03-02"': 1 }, today: { null: 1 } })
  await changeSettings(engine.pool, { zone: 'Asia/Tokyo', name: 'Elsewhere' }, BASE_URL, m.now())
  expect(await values()).toEqual({ by_day: { '"2026-03-01"': 1, '"2026-03-02"': 2 }, today: { null: 2 } })
  await m.write(m.now(), (db) => db.query(`delete from data.calls where name = 'b'`))
  await new Upkeep(engine.pool, m.now, async () => undefined).moveAll(await readSurroundings(engine.pool, BASE_URL))
  expect(await values()).toEqual({ by_day: { '"2026-03-01"': 1, '"2026-03-02"': 1 }, today: { null: 1 } })
  expect(await many(engine.pool, 'select 1 from rappel.crossing')).toEqual([])
  expect(await one(engine.pool, 'select count(*) as faults from rappel.figure where fault is not null')).toEqual({ faults: 0 })
  expect((await readSettings(engine.pool)).name).toBe('Elsewhere')
})
