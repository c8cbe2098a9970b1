import fc from 'fast-check'
import type { Pool } from 'pg'
import { must } from '@/core/must'
import { type ListNeed, type Need, needKey } from '@/core/paths/lookups'
import type { Image, RecordId } from '@/core/values/tables'
import { readSurroundings } from '@/engine/program'
import { loadNeedsAsOf, positionOf } from '@/store/as-of'
import { readBareChange } from '@/store/changes'
import { many, one, transaction } from '@/store/database'
import { makeClaims } from '../support/claims'
import { freshDatabase } from '../support/database'
import { BASE_URL } from '../support/engine'
import { KEYS_TRIED, keyed } from '../support/keys'

let db: Awaited<ReturnType<typeof freshDatabase>>
let pool: Pool
beforeEach(async () => {
  db = await freshDatabase()
  pool = db.pool
})
afterEach(() => db.drop())

/** One thing that happens to a claim or a person. */
const deed = fc.oneof(
  fc.record({ do: fc.constant('make' as const), owner: fc.nat(2), amount: fc.nat(9) }),
  fc.record({ do: fc.constant('change' as const), claim: fc.nat(11), owner: fc.nat(2), amount: fc.nat(9) }),
  fc.record({ do: fc.constant('remove' as const), claim: fc.nat(11) }),
  fc.record({ do: fc.constant('move' as const), person: fc.nat(1), team: fc.constantFrom('Claims', 'Quays', 'Office') }),
)
type Deed = typeof deed extends fc.Arbitrary<infer T> ? T : never

/** Does one deed; people by their place in a list, blank beyond it. */
async function carryOut(run: (text: string, params: unknown[]) => Promise<unknown>, d: Deed, id: RecordId, people: readonly number[]): Promise<void> {
  const owner = 'owner' in d ? (people[d.owner] ?? null) : null
  if (d.do === 'make') await run('insert into data.claims (id, owner, amount, status) values ($1, $2, $3, $4)', [id, owner, d.amount, d.amount % 2 ? 'New' : 'Settled'])
  if (d.do === 'change') await run('update data.claims set owner = $2, amount = $3 where id = $1', [id, owner, d.amount])
  if (d.do === 'remove') await run('delete from data.claims where id = $1', [id])
  if (d.do === 'move') await run('update rappel.person set team = $2 where id = $1', [people[d.person], d.team])
}

/** The tables as they were: a copy of both, which the log is to bring back. */
async function copyOf(name: string): Promise<void> {
  await pool.query(`create table public.${name}_claims as select * from data.claims`)
  await pool.query(`create table public.${name}_people as select p.*, to_jsonb(r) as image from rappel.person p join rappel.person_record r on r.id = p.id`)
}

test.each(KEYS_TRIED)(
  'records, lists and teams as of any past change are those of the tables restored to that moment, where records have a %s for a key',
  async (key) => {
    const { ines, rafi } = await makeClaims(pool, key)
    let made = 0
    const idOf = (d: Deed) => keyed(key, 'claim' in d ? d.claim : ++made)
    const people = [ines, rafi]
    const sequences = fc.sample(fc.array(fc.array(deed, { minLength: 1, maxLength: 3 }), { minLength: 60, maxLength: 60 }), { numRuns: 1, seed: 5 })[0] as Deed[][]
    const moments: { name: string; change: number }[] = []
    for (const [i, deeds] of sequences.entries()) {
      await transaction(pool, async (tx) => {
        for (const d of deeds) await carryOut((text, params) => tx.query(text, params), d, idOf(d), people)
      })
      const { id } = await one<{ id: number | null }>(pool, 'select max(id) as id from rappel.change')
      if (i % 6 !== 5 || id === null) continue
      moments.push({ name: `at_${i}`, change: id })
      await copyOf(`at_${i}`)
    }
    const surroundings = await readSurroundings(pool, BASE_URL)
    const claims = (await many<{ rec: RecordId }>(pool, `select distinct rec from rappel.change where tbl = 'claims'`)).map((r) => r.rec)
    const lists: ListNeed[] = people.flatMap((id): ListNeed[] => [
      { kind: 'list', table: 'claims', link: { field: 'owner', id } },
      { kind: 'list', table: 'claims', link: { field: 'owner', id }, where: { field: 'amount', op: 'at least', value: 4 }, order: '-amount', limit: 3 },
    ])
    const needs: Need[] = [
      ...claims.map((id): Need => ({ kind: 'record', table: 'claims', id })),
      ...people.map((id): Need => ({ kind: 'record', table: 'person', id })),
      ...lists,
      ...['Claims', 'Quays', 'Office'].map((name): Need => ({ kind: 'team', name })),
    ]
    let found = 0
    for (const { name, change } of moments) {
      const loaded = new Map<string, unknown>()
      await loadNeedsAsOf(pool, needs, loaded, { setting: surroundings, dry: true }, (await positionOf(pool, must(await readBareChange(pool, change)))) as number, new Date())
      for (const need of needs) {
        const then = await restored(need, name)
        expect([name, needKey(need), loaded.get(needKey(need))]).toEqual([name, needKey(need), then])
        if (Array.isArray(then) ? then.length : then) found++
      }
    }
    expect(moments.length).toBe(10)
    expect(found).toBeGreaterThan(80)
  },
  120_000,
)

/** The same read from the copy that was made at the moment. */
async function restored(need: Need, name: string): Promise<unknown> {
  const images = (rows: { image: Image }[]) => rows.map((r) => r.image)
  if (need.kind === 'team') return images(await many(pool, `select image from public.${name}_people where team = $1 order by name, id`, [need.name]))
  if (need.kind === 'record' && need.table === 'person') return images(await many(pool, `select image from public.${name}_people where id = $1`, [need.id]))[0] ?? null
  if (need.kind === 'record') return images(await many(pool, `select to_jsonb(c) as image from public.${name}_claims c where id = $1`, [need.id]))[0] ?? null
  const { link, where, limit } = need as ListNeed
  const rows = where
    ? await many<{ image: Image }>(pool, `select to_jsonb(c) as image from public.${name}_claims c where owner = $1 and amount >= 4 order by amount desc nulls last, id limit $2`, [
        link?.id,
        limit,
      ])
    : await many<{ image: Image }>(pool, `select to_jsonb(c) as image from public.${name}_claims c where owner = $1 order by id`, [link?.id])
  return images(rows)
}
