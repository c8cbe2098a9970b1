import { Decimal } from 'decimal.js'
import fc from 'fast-check'
import type { Pool } from 'pg'
import type { TableFigure as Figure } from '@/core/document/figure'
import { alertsAt, heightsOf } from '@/core/figures/history'
import { Dispatcher } from '@/engine/dispatch'
import { Figures } from '@/engine/figures/figures'
import { pastOfFigure } from '@/engine/figures/past'
import { nextRoll, Upkeep } from '@/engine/figures/upkeep'
import { readSurroundings } from '@/engine/program'
import { many, onBehalfOf, transaction } from '@/store/database'
import { listBeyond, listDrifts } from '@/store/figures/check'
import type { NewCrossing } from '@/store/figures/crossings'
import { listFigures, putFigure } from '@/store/figures/definitions'
import { followFigure } from '@/store/figures/history'
import { listGroups } from '@/store/figures/values'
import { actAs } from '@/store/who'
import { makeClaims } from '../support/claims'
import { freshDatabase } from '../support/database'
import { BASE_URL } from '../support/engine'

/** Figures are kept up by what changed; whatever was written, and however it was interleaved, they are what SQL works out over the table. */

let db: Awaited<ReturnType<typeof freshDatabase>>
let pool: Pool
let people: readonly (number | null)[]
let crossings: NewCrossing[]
let now: Date
beforeEach(async () => {
  db = await freshDatabase()
  pool = db.pool
  const { ines, rafi } = await makeClaims(pool)
  people = [ines, rafi, null]
  crossings = []
  now = new Date('2026-03-11T10:00:00Z')
})
afterEach(() => db.drop())

const setting = () => readSurroundings(pool, BASE_URL)
const upkeep = () =>
  new Upkeep(
    pool,
    () => now,
    async (_db, moved) => void crossings.push(...moved.crossings),
  )
const put = async (parts: Partial<Figure> & Pick<Figure, 'of'>, name = 'f') => putFigure(pool, { rappel: 'figure/1', name, table: 'claims', ...parts }, await setting(), now)
const moved = async () => upkeep().moveAll(await setting())
const valuesOf = async (name = 'f') => {
  const figure = (await listFigures(pool)).find((f) => f.name === name)
  return Object.fromEntries((await listGroups(pool, figure?.id ?? 0, 1_000)).map((g) => [g.grp, g.value === null ? null : new Decimal(g.value).toString()]))
}

test('a count by owner is there at once, and moves with what is created, changed, given to others and deleted', async () => {
  const [ines, rafi] = people
  await pool.query(`insert into data.claims (owner, status) values ($1, 'New'), ($1, 'Settled'), ($2, 'New')`, [ines, rafi])
  await put({ of: { count: true }, where: { field: 'status', op: 'is none of', value: ['Settled'] }, by: 'owner' })
  expect(await valuesOf()).toEqual({ [`${ines}`]: '1', [`${rafi}`]: '1' })
  await pool.query(`insert into data.claims (owner) values ($1), (null)`, [ines])
  await pool.query(`update data.claims set status = 'Settled' where owner = $1 and status = 'New'`, [rafi])
  await moved()
  expect(await valuesOf()).toEqual({ [`${ines}`]: '2', [`${rafi}`]: '0', null: '1' })
  await pool.query(`update data.claims set owner = $1 where owner is null`, [rafi])
  await pool.query(`update data.claims set note = 'of no matter'`)
  await pool.query(`delete from data.claims where owner = $1`, [ines])
  await moved()
  expect(await valuesOf()).toEqual({ [`${ines}`]: '0', [`${rafi}`]: '1', null: '0' })
})

const MEASURES: readonly [Figure['of'], string][] = [
  [{ count: true }, 'count(*)'],
  [{ sum: 'amount' }, 'coalesce(sum(amount), 0)'],
  [{ average: 'amount' }, 'avg(amount)'],
  [{ minimum: 'amount' }, 'min(amount)'],
  [{ maximum: 'amount' }, 'max(amount)'],
  [{ distinct: 'number' }, `count(distinct nullif(btrim(number), ''))`],
]
const GROUPS: readonly [Figure['by'], string][] = [
  [undefined, `'null'::jsonb`],
  ['owner', `coalesce(to_jsonb(owner), 'null')`],
  [{ field: 'due', each: 'week' }, `coalesce(to_jsonb(to_char(date_trunc('week', due::timestamp), 'YYYY-MM-DD')), 'null')`],
]
const WHERES: readonly [Figure['where'], string][] = [
  [undefined, 'true'],
  [
    {
      any: [
        { field: 'status', op: 'is', value: 'New' },
        { field: 'amount', op: 'more than', value: 2 },
      ],
    },
    `(status = 'New' or amount > 2)`,
  ],
]
const WITHIN: readonly [Figure['within'], string][] = [
  [undefined, 'true'],
  [{ field: 'due', window: 'this week' }, `due between '2026-03-09' and '2026-03-15'`],
  [{ field: 'due', window: { last: 3 } }, `due between '2026-03-09' and '2026-03-11'`],
]

const deed = fc.record({
  what: fc.nat(9),
  claim: fc.integer({ min: 1, max: 14 }),
  owner: fc.nat(2),
  amount: fc.constantFrom(null, 0, 0.1, 0.2, 2, 3.5, 1e15, -7),
  due: fc.nat(9),
  text: fc.nat(3),
})
type Deed = typeof deed extends fc.Arbitrary<infer T> ? T : never

async function carryOut(run: (text: string, params: unknown[]) => Promise<unknown>, { what, claim, owner, amount, due, text }: Deed): Promise<void> {
  const status = ['New', 'In review', 'Settled'][text % 3]
  const day = due === 9 ? null : `2026-03-${String(7 + due).padStart(2, '0')}`
  if (what < 4)
    await run(
      'insert into data.claims (id, number, status, amount, owner, due) values ($1, $2, $3, $4, $5, $6) on conflict (id) do update set amount = excluded.amount, due = excluded.due',
      [claim, ['a', 'b', ' ', null][text], status, amount, people[owner], day],
    )
  else if (what < 6) await run('update data.claims set amount = $2, status = $3 where id = $1', [claim, amount, status])
  else if (what < 7) await run('update data.claims set owner = $2, number = $3 where id = $1', [claim, people[owner], ['a', 'b', '', 'c'][text]])
  else if (what < 8) await run('update data.claims set due = $2 where id % 2 = $1', [claim % 2, day])
  else if (what < 9) await run('delete from data.claims where id = $1', [claim])
  else await run('update data.claims set id = $2 where id = $1 and not exists (select from data.claims where id = $2)', [claim, (claim % 14) + 1])
}

test('every kind of figure, with groups, conditions and windows, is what SQL works out over the table, after any traffic', async () => {
  const figures = MEASURES.flatMap(([of, measured], m) =>
    GROUPS.flatMap(([by, grouped], g) =>
      WITHIN.map(([within, inside], w) => {
        const [where, met] = WHERES[(m + g + w) % 2] as (typeof WHERES)[number]
        const field = Object.values(of)[0]
        const counted = field === true ? 'true' : field === 'number' ? `nullif(btrim(number), '') is not null` : `${field} is not null`
        return {
          figure: {
            of,
            ...(by ? { by } : {}),
            ...(where ? { where } : {}),
            ...(within ? { within } : {}),
            thresholds: m % 2 ? [] : [{ name: 't', when: 'above' as const, value: 3 }],
          },
          name: `f_${m}_${g}_${w}`,
          sql: `select (${grouped})::text as grp, count(*) as n, (${measured})::text as value from data.claims where ${met} and ${inside} and ${counted} group by 1`,
        }
      }),
    ),
  )
  const writes = fc.sample(
    fc.array(fc.record({ deeds: fc.array(deed, { minLength: 1, maxLength: 4 }), commits: fc.constantFrom(true, true, true, false) }), { minLength: 70, maxLength: 70 }),
    { numRuns: 1, seed: 7 },
  )[0]
  for (const [i, { deeds, commits }] of (writes ?? []).entries()) {
    if (i === 12) for (const { figure, name } of figures) await put(figure, name)
    await transaction(pool, async (tx) => {
      for (const one of deeds) await carryOut((text, params) => tx.query(text, params), one)
      if (!commits) throw new Error('rolled back')
    }).catch((error: Error) => {
      if (error.message !== 'rolled back') throw error
    })
    if (i % 9 === 8) await moved()
  }
  await moved()
  for (const { name, sql } of figures) {
    const expected = await many<{ grp: string; n: number; value: string | null }>(pool, sql)
    const kept = await listGroups(pool, (await listFigures(pool)).find((f) => f.name === name)?.id ?? 0, 1_000)
    const shown = (rows: readonly { grp: string; n: number; value: string | null }[]) =>
      Object.fromEntries(rows.filter((r) => r.n > 0).map((r) => [r.grp, r.value === null ? null : new Decimal(r.value).toSignificantDigits(15).toString()]))
    expect([name, sql, shown(kept)]).toEqual([name, sql, shown(expected)])
  }
}, 180_000)

const THRESHOLDS: NonNullable<Figure['thresholds']> = [
  { name: 'above', when: 'above', value: 3 },
  { name: 'at least', when: 'at least', value: 3, rearm: 1 },
  { name: 'below', when: 'below', value: 1 },
  { name: 'at most', when: 'at most', value: 0, rearm: 2 },
]

/** Another reading of what thresholds mean, by plain numbers: whether a value is beyond, and whether one that was beyond is back. */
const BEYOND: Record<string, (v: number) => boolean> = { above: (v) => v > 3, 'at least': (v) => v >= 3, below: (v) => v < 1, 'at most': (v) => v <= 0 }
const BACK: Record<string, (v: number) => boolean> = { above: (v) => v <= 3, 'at least': (v) => v < 1, below: (v) => v >= 1, 'at most': (v) => v > 2 }

test.each([
  ['a count', { count: true as const }, 'count(*)::float8'],
  ['a sum', { sum: 'amount' }, 'sum(amount)::float8'],
  ['an average', { average: 'amount' }, 'avg(amount)::float8'],
  ['a maximum', { maximum: 'amount' }, 'max(amount)::float8'],
  ['a distinct count', { distinct: 'amount' }, 'count(distinct amount)::float8'],
])('what %s crosses is what a model of it crosses, transaction by transaction, however many are folded in at once', async (_, of, measured) => {
  const isCounted = 'count' in of || 'distinct' in of
  await put({ of, by: 'owner', thresholds: THRESHOLDS })
  const sides = new Map<string, boolean>()
  const expected: (readonly [string, string, string])[] = []
  const blank = 'count' in of || 'sum' in of || 'distinct' in of ? 0 : null
  const seen = new Map<string, number | null>()
  const writes = fc.sample(fc.array(fc.array(deed, { minLength: 1, maxLength: 3 }), { minLength: 90, maxLength: 90 }), { numRuns: 1, seed: 11 })[0] ?? []
  for (const [i, deeds] of writes.entries()) {
    await transaction(pool, async (tx) => {
      for (const one of deeds) await carryOut((text, params) => tx.query(text, params), one)
    })
    const rows = await many<{ grp: string; value: number | null }>(
      pool,
      `select coalesce(owner::text, 'null') as grp, ${measured} as value from data.claims where ${isCounted && 'count' in of ? 'true' : 'amount is not null'} group by 1`,
    )
    const now_ = new Map<string, number | null>(rows.map((r) => [r.grp, r.value]))
    for (const grp of new Set([...seen.keys(), ...now_.keys()])) {
      const value = now_.has(grp) ? (now_.get(grp) ?? null) : blank
      seen.set(grp, value)
      for (const { name } of THRESHOLDS) {
        const key = `${grp} ${name}`
        const was = sides.get(key) ?? false
        const isFar = value !== null && ((BEYOND[name] as (v: number) => boolean)(value) || (was && !(BACK[name] as (v: number) => boolean)(value)))
        if (isFar && !was) expected.push([grp, name, String(value)])
        sides.set(key, isFar)
      }
    }
    if (i % 13 === 12) await moved()
  }
  await moved()
  const found = crossings.map((c) => [c.grp, c.threshold, String(Number(c.value))] as const)
  const sorted = (list: readonly (readonly [string, string, string])[]) => [...list].map((c) => c.join(' ')).sort()
  expect(sorted(found)).toEqual(sorted(expected))
  expect(expected.length).toBeGreaterThan(7)
})

test('two amounts that are swapped in one transaction cross nothing, in two they do; a bulk update is one move', async () => {
  const [ines, rafi] = people
  await pool.query(`insert into data.claims (id, owner, amount) values (1, $1, 1), (2, $2, 9)`, [ines, rafi])
  await put({ of: { sum: 'amount' }, thresholds: [{ name: 't', when: 'above', value: 10 }] })
  await transaction(pool, async (tx) => {
    await tx.query('update data.claims set amount = 9 where id = 1')
    await tx.query('update data.claims set amount = 1 where id = 2')
  })
  await moved()
  expect(crossings).toEqual([])
  await pool.query('update data.claims set amount = 9 where id = 2')
  await pool.query('update data.claims set amount = 1 where id = 1')
  await moved()
  expect(crossings.map((c) => [c.before, c.value, c.line])).toEqual([['10', '18', 10]])
  await pool.query('update data.claims set amount = amount + 100')
  await moved()
  expect(crossings.slice(1).map((c) => [c.before, c.value])).toEqual([['10', '210']])
})

test('the first working out crosses nothing, nor does a threshold that is new; a group that is seen for the first time beyond it crosses', async () => {
  const [ines, rafi] = people
  await pool.query(`insert into data.claims (owner, amount) values ($1, 50)`, [ines])
  await put({ of: { sum: 'amount' }, by: 'owner', thresholds: [{ name: 't', when: 'above', value: 10 }] })
  await put({
    of: { sum: 'amount' },
    by: 'owner',
    thresholds: [
      { name: 't', when: 'above', value: 10 },
      { name: 'new', when: 'above', value: 20 },
    ],
  })
  await pool.query(`insert into data.claims (owner, amount) values ($1, 1), ($2, 15)`, [ines, rafi])
  await moved()
  expect(crossings.map((c) => [c.grp, c.threshold, c.before, c.value])).toEqual([[`${rafi}`, 't', null, '15']])
})

test('a window rolls with the calendar: what leaves it and what comes into it crosses by the clock, once, and a clock that is set back counts nothing twice', async () => {
  await pool.query(`insert into data.claims (due) values ('2026-03-09'), ('2026-03-10'), ('2026-03-12'), ('2026-03-12'), ('2026-03-12')`)
  await put({ of: { count: true }, within: { field: 'due', window: 'today' }, thresholds: [{ name: 't', when: 'at least', value: 2 }] })
  expect(await valuesOf()).toEqual({ null: '0' })
  now = new Date('2026-03-12T00:00:10Z')
  await moved()
  expect(await valuesOf()).toEqual({ null: '3' })
  now = new Date('2026-03-11T23:10:00Z')
  await moved()
  expect(await valuesOf()).toEqual({ null: '3' })
  expect(crossings.map((c) => [c.before, c.value, c.by.name, c.change_id])).toEqual([['0', '3', 'the timetable', null]])
})

test('windows roll at each midnight of the zone, also where a day has 23 or 25 hours', () => {
  const rolls = (from: string, zone: string) => nextRoll(new Date(from), zone).toISOString()
  expect(rolls('2026-10-24T23:00:00Z', 'Europe/London')).toBe('2026-10-26T00:00:00.000Z') // the day on which clocks go back begins at 23:00 UTC
  expect(rolls('2026-03-29T00:00:00Z', 'Europe/London')).toBe('2026-03-29T23:00:00.000Z')
  expect(rolls('2026-03-11T10:00:00Z', 'Pacific/Kiritimati')).toBe('2026-03-12T10:00:00.000Z')
})

test('a figure that cannot be kept up says why and holds up no other; once its table is mended it goes on', async () => {
  await put({ of: { sum: 'amount' } }, 'broken')
  await put({ of: { count: true } }, 'sound')
  await pool.query('alter table data.claims rename column amount to amount_was')
  await pool.query('insert into data.claims (amount_was) values (5)')
  await moved()
  expect(await valuesOf('sound')).toEqual({ null: '1' })
  expect((await listFigures(pool)).map((f) => [f.name, f.fault === null])).toEqual([
    ['broken', false],
    ['sound', true],
  ])
  await pool.query('alter table data.claims rename column amount_was to amount')
  await pool.query('insert into data.claims (amount) values (6)')
  await moved()
  expect((await listFigures(pool)).map((f) => f.fault)).toEqual([null, null])
  expect(await valuesOf('broken')).toEqual({ null: '11' })
})

test('more groups than anybody looks at are refused, and nothing is kept of it', async () => {
  await pool.query(`insert into data.claims (number) select 'n' || g from generate_series(1, 10001) g`)
  await expect(put({ of: { count: true }, by: 'number' })).rejects.toThrow('more than 10,000 groups')
  expect(await listFigures(pool)).toEqual([])
  await pool.query(`delete from data.claims where number = 'n1'`)
  await put({ of: { count: true }, by: 'number' })
})

test('numbers that are none, or very large, count as blank or exactly', async () => {
  await pool.query(`insert into data.claims (amount) values ('NaN'), ('Infinity'), (1e30), (0.1), (0.2), (null)`)
  await put({ of: { sum: 'amount' } })
  await put({ of: { average: 'amount' } }, 'mean')
  expect((await listGroups(pool, (await listFigures(pool))[0]?.id ?? 0, 5)).map((g) => [g.value, g.n])).toEqual([['1000000000000000000000000000000.3', 3]])
  await pool.query(`update data.claims set amount = 0.3 where amount in (1e30, 'NaN')`)
  await moved()
  expect(await valuesOf()).toEqual({ null: '0.9' })
})

test.each([
  ['a count by owner', { of: { count: true as const }, by: 'owner' as const }, 'count(*)', `coalesce(owner::text, 'null')`, 'true', 'true'],
  ['a sum', { of: { sum: 'amount' } }, 'coalesce(sum(amount), 0)', `'null'`, 'amount is not null', 'true'],
  ['a maximum by owner', { of: { maximum: 'amount' }, by: 'owner' as const }, 'max(amount)', `coalesce(owner::text, 'null')`, 'amount is not null', 'true'],
  [
    'a count within three days',
    { of: { count: true as const }, within: { field: 'due', window: { last: 3 } } },
    'count(*)',
    `'null'`,
    'true',
    `due between ($1::date - 2) and $1::date`,
  ],
])('the past of %s is what it was at each moment, worked out afterwards from the log', async (_, parts, measured, grouped, counted, inside) => {
  const writes = fc.sample(fc.array(fc.array(deed, { minLength: 1, maxLength: 3 }), { minLength: 60, maxLength: 60 }), { numRuns: 1, seed: 23 })[0] ?? []
  const from = new Date('2026-03-08T00:00:00Z')
  const stood: { at: Date; values: Record<string, string> }[] = []
  for (const [i, deeds] of writes.entries()) {
    const at = new Date(from.getTime() + i * 4 * 3_600_000 + 60_000)
    await transaction(pool, async (tx) => {
      await actAs(tx, { by: { kind: 'system', person: null, name: 'somebody' }, clock: at })
      for (const one of deeds) await carryOut((text, params) => tx.query(text, params), one)
    })
    const day = at.toISOString().slice(0, 10)
    const rows = await many<{ grp: string; value: string }>(
      pool,
      `select ${grouped} as grp, (${measured})::text as value from data.claims where ${counted} and ${inside} group by 1`,
      inside === 'true' ? [] : [day],
    )
    stood.push({ at, values: Object.fromEntries(rows.map((r) => [r.grp, new Decimal(r.value).toString()])) })
  }
  const to = new Date(from.getTime() + 61 * 4 * 3_600_000)
  const middle = stood[20]?.at ?? from
  const past = await followFigure(pool, { rappel: 'figure/1', name: 'f', table: 'claims', ...parts }, await setting(), { from: middle, to })
  let compared = 0
  for (const { at, values } of stood.filter((s) => s.at > middle)) {
    for (const [grp, begun] of past.begun) {
      const value = (past.steps.get(grp) ?? []).filter((s) => s.at <= at).at(-1)?.value ?? begun
      const is = value === null || Number(value) === 0 ? '0' : new Decimal(value).toString()
      expect([at, grp, is]).toEqual([at, grp, values[grp] ?? '0'])
      compared++
    }
  }
  expect(compared).toBeGreaterThan(35)
})

test('for each height the number of alerts is that of the crossings a threshold there would have had', () => {
  const at = (i: number) => new Date(i * 1_000)
  const steps = [3, 5, 2, 9, 9, 1, 4].map((value, i, all) => ({
    at: at(i),
    change: i,
    before: i ? String(all[i - 1]) : '0',
    value: String(value),
    n: 1,
    mover: { at: i, change: i, xid: String(i) },
  }))
  const followed = { begun: new Map([['null', '0']]), counts: new Map(), steps: new Map([['null', steps]]) }
  // by hand: above 0: once, at the first; above 2: at 3, at 9 and at 4; above 4: at 5 and at 9; above 8: at 9; above 9: never
  expect(alertsAt([0, 2, 4, 8, 9], 'above', followed)).toEqual([1, 3, 2, 1, 0])
  expect(heightsOf(followed)).toHaveLength(60)
})

test('past the reach of the log a figure’s history goes on hour by hour, with the extremes of each hour', async () => {
  const base = new Date('2026-03-01T00:00:00Z').getTime()
  const write = (hours: number, sql: string) =>
    transaction(pool, async (tx) => {
      await actAs(tx, { by: { kind: 'system', person: null, name: 'somebody' }, clock: new Date(base + hours * 3_600_000) })
      await tx.query(sql)
    })
  await write(0.1, `insert into data.claims (id, amount) values (1, 5)`)
  await put({ of: { sum: 'amount' } })
  await write(2.1, 'update data.claims set amount = 9')
  await write(2.5, 'update data.claims set amount = 3')
  await write(30, 'update data.claims set amount = 7')
  now = new Date(base + 40 * 3_600_000)
  const figures = new Figures(pool, new Dispatcher(pool, BASE_URL, () => now), () => now)
  await figures.keepHours()
  await figures.keepHours() // again: nothing is counted twice
  const span = { from: new Date(base), to: now }
  const figure = (await listFigures(pool))[0]?.definition as Figure
  await pool.query(`delete from rappel_log.claims where at < $1`, [new Date(base + 20 * 3_600_000)])
  const points = (await pastOfFigure(pool, figure, await setting(), span)).lines[0]?.points ?? []
  const hours = (at: Date) => Number(((at.getTime() - base) / 3_600_000).toFixed(1))
  expect(points.map((p) => [hours(p.at), Number(p.value)])).toEqual([
    [0.3, 0], // the hour began with nothing
    [1, 5],
    [2.3, 9],
    [3, 3],
    [30, 3], // from here on the log
    [30, 7],
  ])
  await put({ of: { count: true } }) // what is kept of another definition is of no use
  expect(await many(pool, 'select 1 from rappel.figure_hour')).toEqual([])
})

test('the nightly check finds a part that is not what the table says, puts it right, and says so; where all is right it says nothing', async () => {
  const [ines] = people
  await pool.query(`insert into data.claims (owner, amount) values ($1, 2), ($1, 3)`, [ines])
  await put({ of: { sum: 'amount' }, by: 'owner', thresholds: [{ name: 't', when: 'above', value: 100 }] })
  const figures = new Figures(pool, new Dispatcher(pool, BASE_URL, () => now), () => now)
  await pool.query(`update data.claims set amount = 4 where amount = 3`)
  expect(await figures.check()).toEqual([])
  await pool.query('update rappel.figure_part set total = total + 1000')
  await pool.query('update rappel.figure_value set value = value + 1000, total = total + 1000')
  expect(await figures.check()).toEqual([{ name: 'f', differing: 1 }])
  expect(await valuesOf()).toEqual({ [`${ines}`]: '6' })
  expect(await listDrifts(pool, new Date(0))).toMatchObject([{ name: 'f', differing: 1 }])
  expect(await figures.check()).toEqual([])
  await pool.query(`insert into data.claims (owner, amount) values ($1, 200)`, [ines])
  await figures.handle()
  expect(await listBeyond(pool)).toEqual([{ name: 'f', threshold: 't', groups: 1, all: 1 }])
})

test('a figure that is made by somebody’s call is made at one snapshot too', async () => {
  const whom = { by: { kind: 'person' as const, person: null, name: 'Maren' }, caller: null }
  await pool.query('insert into data.claims (amount) values (7)')
  await onBehalfOf(whom, () => put({ of: { sum: 'amount' } }))
  expect(await valuesOf()).toEqual({ null: '7' })
})
