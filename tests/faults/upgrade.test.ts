import { copyFile, mkdtemp, readdir, rm, writeFile } from 'node:fs/promises'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import type { Pool } from 'pg'
import { createPool, many, one } from '@/store/database'
import { migrate } from '@/store/migrate'
import { makeClaims, newClaimWorkflow } from '../support/claims'
import { emptyDatabase } from '../support/database'
import { type Engine, goLive, startEngine, until } from '../support/engine'

const MIGRATIONS = 'src/store/migrations'

/** Migrations from here on keep what the version before works with; those before were for a stop of everything. */
const ROLLING_FROM = 30

/** Functions that only migrations use, which may go. */
const OF_MIGRATIONS = /^function mend\(/

let folder: string
beforeEach(async () => {
  folder = await mkdtemp(join(tmpdir(), 'rappel-migrations-'))
})
afterEach(() => rm(folder, { recursive: true, force: true }))

const files = async () => (await readdir(MIGRATIONS)).filter((f) => f.endsWith('.sql')).sort()

/** What programs of a version may speak of, a line each: columns with their types, and functions with what they take and give. */
async function spokenOf(pool: Pool): Promise<string[]> {
  const rows = await many<{ line: string }>(
    pool,
    `select format('column %s.%s %s', c.relname, a.attname, format_type(a.atttypid, a.atttypmod)) as line
       from pg_attribute a join pg_class c on c.oid = a.attrelid where c.relnamespace = 'rappel'::regnamespace and c.relkind in ('r', 'p', 'v') and a.attnum > 0 and not a.attisdropped
     union select format('function %s(%s) %s', p.proname, pg_get_function_identity_arguments(p.oid), pg_get_function_result(p.oid)) from pg_proc p where p.pronamespace = 'rappel'::regnamespace
     order by 1`,
  )
  return rows.map(({ line }) => line)
}

/** Columns that whoever does not know them could not leave out of what they write. */
const demanded = (pool: Pool) =>
  many<{ name: string; tbl: string }>(
    pool,
    `select c.relname as tbl, a.attname as name from pg_attribute a join pg_class c on c.oid = a.attrelid
      where c.relnamespace = 'rappel'::regnamespace and c.relkind in ('r', 'p') and a.attnum > 0 and a.attnotnull and not a.atthasdef and a.attidentity = '' and not a.attisdropped`,
  )

test('each migration leaves what programs of the version before speak of, and demands nothing of them that they do not know', async () => {
  const { url } = await emptyDatabase()
  const pool = createPool(url, { max: 4 })
  const wrong: string[] = []
  try {
    let before: { spoken: readonly string[]; tables: ReadonlySet<string>; demands: ReadonlySet<string> } | null = null
    for (const file of await files()) {
      await copyFile(join(MIGRATIONS, file), join(folder, file))
      if (Number(file.slice(0, 3)) < ROLLING_FROM - 1) continue
      await migrate(pool, folder)
      const spoken = await spokenOf(pool)
      const demands = (await demanded(pool)).map(({ tbl, name }) => `${tbl}.${name}`)
      const tables = new Set(spoken.flatMap((line) => /^column (\w+)\./.exec(line)?.[1] ?? []))
      if (before) {
        const gone = before.spoken.filter((line) => !spoken.includes(line) && !OF_MIGRATIONS.test(line))
        const known = before
        const fresh = demands.filter((column) => known.tables.has(column.split('.')[0] ?? '') && !known.demands.has(column))
        wrong.push(...gone.map((line) => `${file}: gone: ${line}`), ...fresh.map((column) => `${file}: demanded: ${column}`))
      }
      before = { spoken, tables, demands: new Set(demands) }
    }
    expect(before?.spoken.length).toBeGreaterThan(300)
  } finally {
    await pool.end()
  }
  expect(wrong).toEqual([])
}, 120_000)

describe('while a version of the next year is brought in', () => {
  let engine: Engine
  beforeEach(async () => {
    engine = await startEngine()
  })
  afterEach(() => engine.stop())

  test('workers of this one go on, and start there anew: each alert is sent once', async () => {
    const { ines } = await makeClaims(engine.pool)
    await goLive(engine, newClaimWorkflow())
    const first = await engine.startWorker()
    let made = 0
    let isOn = true
    const writing = (async () => {
      for (; isOn; made++) {
        await engine.pool.query('insert into data.claims (owner, amount) values ($1, $2)', [ines, made])
        await new Promise((resolve) => setTimeout(resolve, 5))
      }
    })()
    const sent = () => one<{ n: number }>(engine.pool, `select count(*)::int as n from rappel.message where state = 'sent'`).then((r) => r.n)
    await until('some mail', async () => (await sent()) > 20)
    const steps = await nextVersion()
    expect(await migrate(engine.pool, folder)).toBe(steps)
    const at = await sent()
    await until('mail of the worker that went on', async () => (await sent()) > at + 20)
    await first.stop()
    await engine.startWorker()
    const then = await sent()
    await until('mail of the one that was started anew', async () => (await sent()) > then + 20)
    isOn = false
    await writing
    await until('all mail', async () => (await sent()) >= made)
    expect(await sent()).toBe(made)
    expect(await many(engine.pool, `select 1 from rappel.run where state <> 'done'`)).toEqual([])
    const subjects = engine.room.store.list({ limit: 100_000 }).map((a) => a.subject)
    expect([new Set(subjects).size, subjects.length]).toEqual([made, made])
    await expect(migrate(engine.pool)).rejects.toThrow('this version of Rappel knows only') // and a start of the old version on the new database says so
  }, 120_000)

  /** The next version's migrations: this one's, and one for each table that adds to it; how many these are. */
  async function nextVersion(): Promise<number> {
    for (const file of await files()) await copyFile(join(MIGRATIONS, file), join(folder, file))
    const tables = await many<{ name: string }>(
      engine.pool,
      `select relname as name from pg_class where relnamespace = 'rappel'::regnamespace and relkind in ('r', 'p') and not relispartition order by relname`,
    )
    for (const [i, { name }] of tables.entries())
      await writeFile(join(folder, `${900 + i}_more_of_${name}.sql`), `alter table rappel.${name} add column of_next_version int not null default 7;`)
    return tables.length
  }
})
