import { Decimal } from 'decimal.js'
import fc from 'fast-check'
import type { Pool } from 'pg'
import type { Figure } from '@/core/document/figure'
import type { FieldDef } from '@/core/values/tables'
import { Dispatcher } from '@/engine/dispatch'
import { Figures } from '@/engine/figures/figures'
import { Upkeep } from '@/engine/figures/upkeep'
import { readSurroundings } from '@/engine/program'
import { many, transaction } from '@/store/database'
import type { NewCrossing } from '@/store/figures/crossings'
import { listFigures, putFigure } from '@/store/figures/definitions'
import { followFigure } from '@/store/figures/history'
import { listGroups } from '@/store/figures/values'
import { putPerson } from '@/store/people'
import { putTable } from '@/store/tables'
import { actAs } from '@/store/who'
import { freshDatabase } from '../support/database'
import { BASE_URL } from '../support/engine'

/** Figures that look through a link, that are worked out from other figures, or whose thresholds are at other figures: all moved by whole transactions, whatever was written. */

let db: Awaited<ReturnType<typeof freshDatabase>>
let pool: Pool
let people: number[]
let crossings: (NewCrossing & { name: string })[]
const now = new Date('2026-03-11T10:00:00Z')

const field = (name: string, type: FieldDef['type'], more: Partial<FieldDef> = {}): FieldDef => ({ name, label: name, type, ...more })

beforeEach(async () => {
  db = await freshDatabase()
  pool = db.pool
  await putTable(pool, {
    name: 'sites',
    label: 'Sites',
    singular: 'site',
    titleField: 'name',
    fields: [field('name', 'text'), field('region', 'choice', { choices: ['North', 'South'] }), field('keeper', 'person')],
  })
  await putTable(pool, {
    name: 'jobs',
    label: 'Jobs',
    singular: 'job',
    titleField: 'title',
    fields: [
      field('title', 'text'),
      field('status', 'choice', { choices: ['Open', 'Done'] }),
      field('amount', 'money'),
      field('site', 'link', { table: 'sites' }),
      field('parent', 'link', { table: 'jobs' }),
      field('owner', 'person'),
    ],
  })
  people = []
  for (const [i, team] of ['Quays', 'Claims', 'Quays'].entries()) people.push((await putPerson(pool, `p${i}@office.example`, { name: `Person ${i}`, team, role: 'member' })).id)
  await pool.query(`insert into data.sites (id, name, region) select g, 'site ' || g, case when g % 2 = 0 then 'North' else 'South' end from generate_series(1, 4) g`)
  crossings = []
})
afterEach(() => db.drop())

const setting = () => readSurroundings(pool, BASE_URL)
const upkeep = () =>
  new Upkeep(
    pool,
    () => now,
    async (_db, moved) => void crossings.push(...moved.crossings.map((c) => ({ ...c, name: moved.figure.name }))),
  )
const put = async (name: string, parts: object) => putFigure(pool, { rappel: 'figure/1', name, ...parts } as Figure, await setting(), now)
const moved = async () => upkeep().moveAll(await setting())
const shown = (value: string | null) => (value === null ? null : new Decimal(value).toSignificantDigits(15).toString())

const deed = fc.record({ what: fc.nat(9), job: fc.integer({ min: 1, max: 9 }), site: fc.integer({ min: 1, max: 4 }), other: fc.integer({ min: 1, max: 9 }), pick: fc.nat(5) })
type Deed = typeof deed extends fc.Arbitrary<infer T> ? T : never

/** What is written in jobs, sites and people; with `own`, in jobs alone. */
async function carryOut(run: (text: string, params: unknown[]) => Promise<unknown>, { what, job, site, other, pick }: Deed, own = false): Promise<void> {
  const status = pick % 2 ? 'Open' : 'Done'
  const amount = [null, 1, 2.5, 0.1, 100, 7][pick]
  if (what < 4)
    await run(
      'insert into data.jobs (id, status, amount, site, owner) values ($1, $2, $3, $4, $5) on conflict (id) do update set amount = excluded.amount, site = excluded.site, owner = excluded.owner',
      [job, status, amount, pick === 5 ? null : site, people[pick % 4] ?? null],
    )
  else if (what < 5) await run('update data.jobs set parent = (select id from data.jobs where id = $2), status = $3 where id = $1', [job, other, status])
  else if (what < 6) await run('delete from data.jobs where id = $1', [job])
  else if (own) await run('update data.jobs set status = $2 where id = $1', [job, status])
  else if (what < 8) await run('update data.sites set region = $2, keeper = $3 where id = $1', [site, [null, 'North', 'South'][pick % 3], people[pick % 4] ?? null])
  else await run('update rappel.person set team = $2 where id = $1', [people[pick % 3], ['Quays', 'Claims', null][job % 3]])
}

const LINKED: readonly [string, object, string][] = [
  [
    'by_region',
    { table: 'jobs', of: { count: true }, by: 'site.region' },
    `select coalesce(to_jsonb(nullif(s.region, '')), 'null')::text as grp, count(*)::text as value from data.jobs j left join data.sites s on s.id = j.site group by 1`,
  ],
  [
    'north',
    { table: 'jobs', of: { sum: 'amount' }, where: { field: 'site.region', op: 'is', value: 'North' }, by: 'site' },
    `select j.site::text as grp, sum(amount)::text as value from data.jobs j join data.sites s on s.id = j.site where s.region = 'North' and amount is not null group by 1`,
  ],
  [
    'by_keeper',
    { table: 'jobs', of: { maximum: 'amount' }, by: 'site.keeper' },
    `select coalesce(s.keeper::text, 'null') as grp, max(amount)::text as value from data.jobs j left join data.sites s on s.id = j.site where amount is not null group by 1`,
  ],
  [
    'under_open',
    { table: 'jobs', of: { distinct: 'status' }, where: { field: 'parent.status', op: 'is', value: 'Open' } },
    `select 'null' as grp, count(distinct j.status)::text as value from data.jobs j join data.jobs p on p.id = j.parent where p.status = 'Open' having count(*) > 0`,
  ],
  [
    'of_claims',
    {
      table: 'jobs',
      of: { average: 'amount' },
      where: {
        any: [
          { field: 'owner.team', op: 'is', value: 'claims' },
          { field: 'site.region', op: 'is blank' },
        ],
      },
      by: 'status',
    },
    `select coalesce(to_jsonb(j.status), 'null')::text as grp, avg(amount)::text as value from data.jobs j left join rappel.person o on o.id = j.owner left join data.sites s on s.id = j.site
      where amount is not null and (lower(o.team) = 'claims' or s.region is null) group by 1`,
  ],
]

test('what looks through a link is what SQL works out, whatever was written on either side, in one transaction or in several that overlap', async () => {
  for (const [name, parts] of LINKED) await put(name, parts)
  const writes = fc.sample(fc.array(fc.array(deed, { minLength: 1, maxLength: 4 }), { minLength: 80, maxLength: 80 }), { numRuns: 1, seed: 31 })[0] ?? []
  for (const [i, deeds] of writes.entries()) {
    const overlaps = i % 7 === 3
    const other = overlaps ? await pool.connect() : null
    try {
      if (other) {
        await other.query('begin')
        await other.query('update data.sites set region = $1 where id = $2', [['North', 'South', null][i % 3], 1 + (i % 4)])
      }
      await transaction(pool, async (tx) => {
        for (const one of deeds) await carryOut((text, params) => tx.query(text, params), one, overlaps)
      })
      if (overlaps) await moved()
      await other?.query('commit')
    } finally {
      other?.release()
    }
    if (i % 5 === 4) await moved()
  }
  await moved()
  const rows = await listFigures(pool)
  expect(rows.map((r) => r.fault)).toEqual(LINKED.map(() => null))
  for (const [name, , sql] of LINKED) {
    const expected = Object.fromEntries((await many<{ grp: string; value: string }>(pool, sql)).map((r) => [r.grp, shown(r.value)]))
    const kept = await listGroups(pool, rows.find((r) => r.name === name)?.id ?? 0, 100)
    expect([name, Object.fromEntries(kept.filter((g) => g.n > 0).map((g) => [g.grp, shown(g.value)]))]).toEqual([name, expected])
  }
  expect(await new Figures(pool, new Dispatcher(pool, BASE_URL, () => now), () => now).check()).toEqual([])
}, 120_000)

const COMPUTED: readonly [string, object][] = [
  ['all_jobs', { table: 'jobs', of: { count: true }, by: 'site' }],
  ['open_jobs', { table: 'jobs', of: { count: true }, where: { field: 'status', op: 'is', value: 'Open' }, by: 'site' }],
  ['whole', { table: 'jobs', of: { count: true } }],
  [
    'share',
    {
      formula: 'open_jobs / all_jobs * 100',
      unit: 'percent',
      thresholds: [
        { name: 'low', when: 'below', value: 50 },
        { name: 'high', when: 'at least', value: 50, rearm: 20 },
      ],
    },
  ],
  ['weight', { formula: 'all_jobs / whole', thresholds: [{ name: 'heavy', when: 'above', value: 0.4 }] }],
  ['both', { formula: 'if share > 60 then weight + 1 else weight - 1', thresholds: [{ name: 'up', when: 'above', value: 1 }] }],
  [
    'value',
    {
      table: 'jobs',
      of: { sum: 'amount' },
      by: 'site',
      thresholds: [
        { name: 'over jobs', when: 'above', value: { figure: 'all_jobs' } },
        { name: 'over share', when: 'at most', value: { figure: 'share' } },
      ],
    },
  ],
]

/** Another reading of the same figures, by plain SQL and numbers; groups are sites. */
async function modelled(): Promise<Map<string, Map<string, number | null>>> {
  const rows = await many<{ grp: string; n: number; open: number; total: number | null }>(
    pool,
    `select coalesce(site::text, 'null') as grp, count(*)::int as n, (count(*) filter (where status = 'Open'))::int as open, sum(amount)::float8 as total from data.jobs group by 1`,
  )
  const every = rows.reduce((sum, r) => sum + r.n, 0)
  const figures = new Map<string, Map<string, number | null>>(['share', 'weight', 'both', 'value', 'all_jobs'].map((name) => [name, new Map()]))
  for (const grp of groupsSeen) {
    const { n = 0, open = 0, total = null } = rows.find((r) => r.grp === grp) ?? {}
    const share = n === 0 ? null : (open / n) * 100
    const weight = every === 0 ? null : n / every
    figures.get('share')?.set(grp, share)
    figures.get('weight')?.set(grp, weight)
    figures.get('both')?.set(grp, share === null || weight === null ? null : share > 60 ? weight + 1 : weight - 1)
    figures.get('value')?.set(grp, total ?? 0)
    figures.get('all_jobs')?.set(grp, n)
  }
  return figures
}

const groupsSeen = new Set<string>()
const LIMITS: readonly [string, string, (v: number, other: (name: string) => number | null) => boolean, (v: number, other: (name: string) => number | null) => boolean][] = [
  ['share', 'low', (v) => v < 50, (v) => v >= 50],
  ['share', 'high', (v) => v >= 50, (v) => v < 20],
  ['weight', 'heavy', (v) => v > 0.4, (v) => v <= 0.4],
  ['both', 'up', (v) => v > 1, (v) => v <= 1],
  ['value', 'over jobs', (v, o) => v > (o('all_jobs') ?? Number.POSITIVE_INFINITY), (v, o) => !(v > (o('all_jobs') ?? Number.POSITIVE_INFINITY))],
  ['value', 'over share', (v, o) => v <= (o('share') ?? Number.NEGATIVE_INFINITY), (v, o) => !(v <= (o('share') ?? Number.NEGATIVE_INFINITY))],
]

test('what is worked out from other figures crosses what a model of it crosses, transaction by transaction; its past is what it was', async () => {
  await transaction(pool, async (tx) => {
    await actAs(tx, { by: { kind: 'system', person: null, name: 'somebody' }, clock: new Date(now.getTime() - 90 * 3_600_000) })
    await tx.query(`insert into data.jobs (id, status, amount, site) select g, 'Open', g, 1 + g % 4 from generate_series(1, 8) g`)
  })
  groupsSeen.clear()
  for (const grp of ['1', '2', '3', '4']) groupsSeen.add(grp)
  for (const [name, parts] of COMPUTED) await put(name, parts)
  const far = new Map<string, boolean>()
  const judge = async (tell: boolean) => {
    const found: string[] = []
    for (const { site } of await many<{ site: number | null }>(pool, 'select distinct site from data.jobs')) groupsSeen.add(site === null ? 'null' : String(site))
    const figures = await modelled()
    for (const [name, threshold, beyond, back] of LIMITS)
      for (const [grp, value] of figures.get(name) ?? []) {
        const key = `${name} ${threshold} ${grp}`
        const other = (of: string) => figures.get(of)?.get(grp) ?? null
        const is = value !== null && (beyond(value, other) || (far.get(key) === true && !back(value, other)))
        if (is && !far.get(key) && tell) found.push(key)
        far.set(key, is)
      }
    return { found, figures }
  }
  await judge(false)
  const expected: string[] = []
  const stood: { at: Date; figures: Map<string, Map<string, number | null>> }[] = []
  const writes = fc.sample(fc.array(fc.array(deed, { minLength: 1, maxLength: 3 }), { minLength: 70, maxLength: 70 }), { numRuns: 1, seed: 5 })[0] ?? []
  const from = new Date(now.getTime() - 80 * 3_600_000)
  for (const [i, deeds] of writes.entries()) {
    const at = new Date(from.getTime() + i * 3_600_000)
    await transaction(pool, async (tx) => {
      await actAs(tx, { by: { kind: 'system', person: null, name: 'somebody' }, clock: at })
      for (const one of deeds) await carryOut((text, params) => tx.query(text, params), one, true)
    })
    const { found, figures } = await judge(true)
    expected.push(...found)
    stood.push({ at, figures })
    if (i % 11 === 10) await moved()
  }
  await moved()
  expect(crossings.map((c) => `${c.name} ${c.threshold} ${c.grp}`).sort()).toEqual(expected.sort())
  expect(new Set(expected.map((e) => e.split(' ').slice(0, 2).join(' '))).size).toBeGreaterThan(4)
  const middle = stood[30]?.at ?? from
  for (const name of ['share', 'weight', 'both']) {
    const figure = (await listFigures(pool)).find((f) => f.name === name)
    const past = await followFigure(pool, figure?.definition as Figure, await setting(), { from: middle, to: now })
    for (const { at, figures } of stood.filter((s) => s.at > middle))
      for (const [grp, begun] of past.begun) {
        const last = (past.steps.get(grp) ?? []).filter((s) => s.at <= at).at(-1)
        const value = last ? last.value : begun
        const held = figures.get(name)?.get(grp) ?? null
        expect([name, at, grp, value === null ? null : Number(value).toPrecision(12)]).toEqual([name, at, grp, held === null ? null : held.toPrecision(12)])
      }
  }
}, 120_000)

// worked by hand: 3 of 4 are 75 %, 2 of 3 are 66.67 % (half up at the second digit), 0 of 0 is blank; 0.1 + 0.2 is 0.3 in decimals
test('percentages and sums of figures are worked out in decimals; a division by zero, or a blank part, is blank', async () => {
  await pool.query(
    `insert into data.jobs (status, amount, site) values ('Open', 0.1, 1), ('Open', 0.2, 1), ('Open', null, 1), ('Done', null, 1), ('Open', null, 2), ('Open', null, 2), ('Done', null, 2), ('Done', 5, null)`,
  )
  for (const [name, parts] of COMPUTED) await put(name, parts)
  await put('mean', { table: 'jobs', of: { average: 'amount' }, by: 'site' })
  await put('twice', { formula: 'mean * 2' })
  await put('third', { formula: '1 / (whole - 5)' })
  await put('none', { formula: '1 / (whole - 8)' })
  const values = async (name: string) => {
    const figure = (await listFigures(pool)).find((f) => f.name === name)
    return Object.fromEntries((await listGroups(pool, figure?.id ?? 0, 100)).map((g) => [g.grp, g.value]))
  }
  expect(await values('share')).toEqual({ 1: '75', 2: '66.66666666666666666667', null: '0' })
  expect(await values('value')).toEqual({ 1: '0.3', null: '5' }) // what has no amount does not count
  expect(await values('twice')).toEqual({ 1: '0.3', null: '10' })
  expect(await values('third')).toEqual({ null: '0.33333333333333333333' })
  expect(await values('none')).toEqual({ null: null })
  await pool.query(`update data.jobs set status = 'Open' where site is null`)
  await pool.query(`update data.jobs set site = null where site = 2`)
  await moved()
  expect(await values('share')).toEqual({ 1: '75', 2: null, null: '75' })
})

test('what is worked out from a figure follows when that is defined anew, without crossing; the nightly check holds it against its parts', async () => {
  await pool.query(`insert into data.jobs (status, site) values ('Open', 1), ('Done', 1), ('Done', 1)`)
  for (const [name, parts] of COMPUTED) await put(name, parts)
  const share = async () => (await listGroups(pool, (await listFigures(pool)).find((f) => f.name === 'share')?.id ?? 0, 9)).map((g) => [g.grp, shown(g.value), g.sides])
  expect(await share()).toEqual([['1', '33.3333333333333', { low: 'far', high: 'near' }]])
  await put('open_jobs', { table: 'jobs', of: { count: true }, where: { field: 'status', op: 'is', value: 'Done' }, by: 'site' })
  expect(await share()).toEqual([['1', '66.6666666666667', { low: 'near', high: 'far' }]])
  await moved()
  expect(crossings).toEqual([])
  const figures = new Figures(pool, new Dispatcher(pool, BASE_URL, () => now), () => now)
  expect(await figures.check()).toEqual([])
  await pool.query(`update rappel.figure_value set value = 7 where figure = (select id from rappel.figure where name = 'share')`)
  expect(await figures.check()).toEqual([{ name: 'share', differing: 1 }])
  expect(await share()).toEqual([['1', '66.6666666666667', { low: 'near', high: 'far' }]])
})

test('a figure whose part is gone says so and holds up no other; its past is blank', async () => {
  for (const [name, parts] of COMPUTED) await put(name, parts)
  await pool.query(`delete from rappel.figure where name = 'all_jobs'`) // as where the part's table is dropped
  await pool.query(`insert into data.jobs (status, site) values ('Open', 1)`)
  await moved()
  const rows = await listFigures(pool)
  expect(rows.find((r) => r.name === 'share')?.fault).toBe('It names all_jobs, which is gone.')
  expect((await listGroups(pool, rows.find((r) => r.name === 'open_jobs')?.id ?? 0, 9)).map((g) => g.value)).toEqual(['1'])
  const past = await followFigure(pool, rows.find((r) => r.name === 'share')?.definition as Figure, await setting(), { from: new Date(now.getTime() - 86_400_000), to: now })
  expect([...past.begun.values()].filter((v) => v !== null)).toEqual([])
})
