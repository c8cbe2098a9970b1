import { isDeepStrictEqual } from 'node:util'
import fc from 'fast-check'
import type { Pool } from 'pg'
import { compareIds } from '@/core/values/compare'
import { tellStatementsApart } from '@/store/attach/begin-triggers'
import { claimChanges, listChanges, takeShards } from '@/store/changes'
import { many, one, transaction } from '@/store/database'
import { readSchema } from '@/store/tables'
import { makeClaims } from '../support/claims'
import { forgetChanges, freshDatabase } from '../support/database'

/**
 * Triggers of somebody's that write to the table they are on: PostgreSQL 15, 39.1 "Overview of Trigger Behavior", "cascading triggers". AFTER triggers fire at the end of the
 * statement that queued them, so those of a statement within a trigger fire before those of the statement around it (CREATE TRIGGER, "Notes").
 */
let db: Awaited<ReturnType<typeof freshDatabase>>
let pool: Pool
beforeEach(async () => {
  db = await freshDatabase()
  pool = db.pool
  await makeClaims(pool)
  await pool.query(`
    create table public.elsewhere (n int);
    create function public.run_within() returns trigger language plpgsql as $$
    declare
      todo jsonb := nullif(current_setting('test.within', true), '')::jsonb -> tg_level;
      one jsonb;
    begin
      if todo is not null then
        perform set_config('test.within', (current_setting('test.within')::jsonb - tg_level)::text, true);
        for one in select * from jsonb_array_elements(todo) loop
          declare
            others text := current_setting('test.within');
          begin
            perform set_config('test.within', coalesce(one ->> 'within', ''), true);
            execute one ->> 'sql';
            perform set_config('test.within', others, true);
          end;
        end loop;
      end if;
      return null;
    end $$`)
  for (const table of ['data.claims', 'public.elsewhere'])
    await pool.query(`create trigger each_of_them after insert or update or delete on ${table} for each row execute function public.run_within();
      create trigger all_of_them after insert or update or delete on ${table} for each statement execute function public.run_within()`)
  expect(await tellStatementsApart(pool)).toBe(1)
  expect(await tellStatementsApart(pool)).toBe(0)
})
afterEach(() => db.drop())

/** A statement, and what triggers run within it: when its first row is told of, and when it is over. */
interface Statement {
  readonly sql: string
  readonly within: { readonly ROW?: readonly Statement[]; readonly STATEMENT?: readonly Statement[] }
}

async function run(statements: readonly Statement[], isUndone: (i: number) => boolean = () => false): Promise<void> {
  await transaction(pool, async (client) => {
    for (const [i, { sql, within }] of statements.entries()) {
      await client.query('savepoint here')
      await client.query(`select set_config('test.within', $1, true)`, [JSON.stringify(within)])
      await client.query(sql)
      if (isUndone(i)) await client.query('rollback to here')
    }
  })
}

type Images = ReadonlyMap<number, Readonly<Record<string, unknown>>>
const images = async (): Promise<Images> =>
  new Map(
    (
      await many<{ id: number; image: Record<string, unknown> }>(pool, "select id, jsonb_build_object('number', number, 'note', note, 'amount', amount) as image from data.claims")
    ).map((r) => [r.id, r.image]),
  )
const shown = (image: Readonly<Record<string, unknown>> | null) => image && { number: image.number ?? null, note: image.note ?? null, amount: image.amount ?? null }

/** What records came to between two moments. */
function netOf(before: Images, after: Images) {
  const ids = [...new Set([...before.keys(), ...after.keys()])].sort((a, b) => a - b)
  return ids.flatMap((record) => {
    const [was, is] = [before.get(record) ?? null, after.get(record) ?? null]
    return isDeepStrictEqual(was, is) ? [] : [{ record, kind: was && is ? 'changed' : is ? 'created' : 'deleted', before: was, after: is }]
  })
}

/** What the log says of changes above a position, record by record. */
async function captured(last: number) {
  const { changes } = await listChanges(pool, await readSchema(pool), { table: 'claims', after: last, limit: 1_000 })
  return changes.map((c) => ({ record: c.record, kind: c.kind, before: shown(c.before), after: shown(c.after) })).sort((a, b) => compareIds(a.record, b.record))
}

const lastId = async () => (await one<{ last: number }>(pool, 'select coalesce(max(id), 0) as last from rappel.change')).last

/** Takes all that is queued; what it comes to. */
async function claimed() {
  const schema = await readSchema(pool)
  return transaction(pool, async (client) => {
    const shards = await takeShards(
      client,
      Array.from({ length: 16 }, (_, i) => i),
    )
    const taken = []
    for (;;) {
      const { changes } = await claimChanges(client, shards, 10_000, schema)
      if (changes.length === 0) break
      taken.push(...changes)
    }
    return taken.map((c) => ({ record: c.record, kind: c.kind, before: shown(c.before), after: shown(c.after) })).sort((a, b) => compareIds(a.record, b.record))
  })
}

const id = fc.integer({ min: 1, max: 4 })
const note = fc.constantFrom(`'a'`, `'b'`, `'c'`, 'null')
const amount = fc.constantFrom('1', '2', 'null')
const sql = fc.oneof(
  {
    weight: 3,
    arbitrary: fc
      .tuple(id, note, amount)
      .map(([i, n, a]) => `insert into data.claims (id, note, amount) values (${i}, ${n}, ${a}) on conflict (id) do update set note = ${n}, amount = ${a}`),
  },
  { weight: 4, arbitrary: fc.tuple(id, note).map(([i, n]) => `update data.claims set note = ${n} where id = ${i}`) },
  { weight: 2, arbitrary: fc.tuple(id, amount).map(([i, a]) => `update data.claims set amount = ${a} where id = ${i}`) },
  { weight: 2, arbitrary: note.map((n) => `update data.claims set note = ${n}`) },
  { weight: 2, arbitrary: id.map((i) => `delete from data.claims where id = ${i}`) },
  { weight: 2, arbitrary: fc.constant('insert into public.elsewhere values (1)') },
)
/** Statements that have others run within them, so many deep. */
const statement = (depth: number): fc.Arbitrary<Statement> => {
  const some = depth === 0 ? fc.constant([]) : fc.oneof(fc.constant([]), fc.array(statement(depth - 1), { minLength: 1, maxLength: 2 }))
  return fc.record({ sql, within: fc.record({ ROW: some, STATEMENT: some }) })
}

test('whatever triggers write within statements, a change is what its transaction came to, and the last that is logged of a record is how it stands', async () => {
  await fc.assert(
    fc.asyncProperty(
      fc.array(fc.array(fc.tuple(statement(2), fc.constantFrom(false, false, false, true)), { minLength: 1, maxLength: 3 }), { minLength: 1, maxLength: 3 }),
      async (transactions) => {
        await pool.query('delete from data.claims')
        await forgetChanges(pool)
        for (const given of transactions) {
          const [before, last] = [await images(), await lastId()]
          await run(
            given.map(([s]) => s),
            (i) => given[i]?.[1] === true,
          )
          const after = await images()
          const net = netOf(before, after)
          expect({ given, changes: await captured(last) }).toEqual({ given, changes: net })
          expect({ given, changes: await claimed() }).toEqual({ given, changes: net })
          const latest = await many<{ rec: number; after: Record<string, unknown> | null }>(
            pool,
            'select distinct on (rec) rec, after from rappel_change.claims order by rec, id desc',
          )
          for (const { rec, after: image } of latest) expect({ given, rec, image: shown(image) }).toEqual({ given, rec, image: after.get(rec) ?? null })
        }
      },
    ),
    { numRuns: 60 },
  )
}, 240_000)

test('so it is of thousands of rows, that are queued as stretches', async () => {
  await pool.query('insert into data.claims (amount) select g from generate_series(1, 2000) g')
  await forgetChanges(pool)
  const before = await images()
  const within = { ROW: [{ sql: `update data.claims set note = note || '!' where id % 3 = 0`, within: {} }] }
  await run([{ sql: `update data.claims set note = 'told', amount = 1`, within }])
  const net = netOf(before, await images())
  expect(net).toHaveLength(2_000)
  expect(new Set(net.map((c) => c.after?.note))).toEqual(new Set(['told', 'told!']))
  expect(await claimed()).toEqual(net)
  expect(await many(pool, 'select 1 from rappel.queue')).toEqual([])
})
