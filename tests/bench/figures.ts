import type { Pool } from 'pg'
import type { Figure } from '@/core/document/figure'
import { Upkeep } from '@/engine/figures/upkeep'
import { readSurroundings } from '@/engine/program'
import { one } from '@/store/database'
import { putFigure } from '@/store/figures/definitions'
import { followFigure } from '@/store/figures/history'
import { makeClaims, newClaimWorkflow } from '../support/claims'
import { freshDatabase } from '../support/database'
import { BASE_URL, goLive, startEngine, until } from '../support/engine'
import { startWorkerProcess } from '../support/worker-process'
import { median, report, time } from './measure'

const FIGURES = 20
const SINGLE = 10_000
const BULK = 1_000_000
const SAVES = 2_000
const CROSSINGS = 60

const figure = (i: number): Figure => ({
  rappel: 'figure/1',
  name: `f${i}`,
  table: 'claims',
  of: i % 3 ? { sum: 'amount' } : { count: true },
  where: { field: 'amount', op: 'at least', value: i },
  ...(i % 2 ? { by: 'owner' as const } : {}),
  thresholds: [{ name: 't', when: 'above', value: 1e12 }],
})

async function makeFigures(pool: Pool, count = FIGURES): Promise<Upkeep> {
  const setting = await readSurroundings(pool, BASE_URL)
  for (let i = 0; i < count; i++) await putFigure(pool, figure(i), setting, new Date())
  return new Upkeep(
    pool,
    () => new Date(),
    async () => undefined,
  )
}

const moved = async (pool: Pool, upkeep: Upkeep) => {
  const setting = await readSurroundings(pool, BASE_URL)
  while ((await upkeep.moveAll(setting)) > 0);
}

/** Figures kept up: many small transactions, one large, what they cost writers, how soon a crossing is mailed, and how long their past takes. */
export async function benchFigures(): Promise<void> {
  await benchSingle()
  await benchBulk()
  await benchWriters()
  await benchCrossing()
}

async function benchSingle(): Promise<void> {
  const { pool, drop } = await freshDatabase()
  const { ines } = await makeClaims(pool)
  await pool.query('insert into data.claims (owner, amount) select $1, g from generate_series(1, 1000) g', [ines])
  const upkeep = await makeFigures(pool)
  await pool.query(
    `create procedure public.save(n int) language plpgsql as $$ begin
       for i in 1..n loop update data.claims set amount = amount + 1 where id = 1 + i % 1000; commit; end loop; end $$`,
  )
  await pool.query('set synchronous_commit = off')
  await pool.query(`call public.save(${SINGLE})`)
  const took = await time(() => moved(pool, upkeep))
  const rate = (SINGLE / took) * 1000
  report(`changes in transactions of their own, folded into ${FIGURES} figures`, `${Math.round(rate)} /s`, 'at least 10000 /s', rate >= 10_000)
  await drop()
}

async function benchBulk(): Promise<void> {
  const { pool, drop } = await freshDatabase()
  const { ines, rafi } = await makeClaims(pool)
  await pool.query('alter table data.claims disable trigger user')
  await pool.query(`insert into data.claims (owner, amount) select case when g % 2 = 0 then $1::bigint else $2::bigint end, g % 1000 from generate_series(1, ${BULK}) g`, [
    ines,
    rafi,
  ])
  await pool.query('alter table data.claims enable trigger user')
  await pool.query('vacuum analyze data.claims')
  const upkeep = await makeFigures(pool, 1)
  const plain = await time(async () => {
    for (let i = 0; i < 10; i++) await pool.query('select owner, sum(amount) from data.claims group by owner')
  })
  await pool.query('update data.claims set amount = amount + 1')
  const took = await time(() => moved(pool, upkeep))
  report(
    'one transaction of 1,000,000 rows folded in, times ten plain sums',
    `${(took / plain).toFixed(2)} (${Math.round(took)} to ${Math.round(plain)} ms)`,
    'at most 1.5',
    took <= 1.5 * plain,
  )
  const setting = await readSurroundings(pool, BASE_URL)
  const span = { from: new Date(Date.now() - 3_600_000), to: new Date() }
  const past = await time(() => followFigure(pool, { ...figure(1), where: undefined }, setting, span))
  report('the past of a figure over 1,000,000 changes', `${(past / 1000).toFixed(2)} s`, 'under 1 s', past < 1_000)
  await drop()
}

async function benchWriters(): Promise<void> {
  const rates: { bare: number[]; kept: number[] } = { bare: [], kept: [] }
  for (const kind of ['bare', 'kept', 'bare', 'kept', 'bare', 'kept'] as const) {
    const { pool, drop } = await freshDatabase()
    const { ines } = await makeClaims(pool)
    await pool.query('insert into data.claims (owner, amount) select $1, g from generate_series(1, 1000) g', [ines])
    if (kind === 'kept') await makeFigures(pool)
    const writer = async (n: number) => {
      for (let i = n; i < SAVES; i += 4) await pool.query('update data.claims set amount = amount + 1 where id = $1', [1 + (i % 1000)])
    }
    rates[kind].push((SAVES / (await time(() => Promise.all([0, 1, 2, 3].map(writer))))) * 1000)
    await drop()
  }
  const share = median(rates.kept) / median(rates.bare)
  report(
    `the rate of four writers with ${FIGURES} figures, share of that without`,
    `${share.toFixed(2)} (${Math.round(median(rates.kept))} to ${Math.round(median(rates.bare))} /s)`,
    'at least 0.9',
    share >= 0.9,
  )
}

async function benchCrossing(): Promise<void> {
  const engine = await startEngine()
  const { ines } = await makeClaims(engine.pool)
  const thresholds = Array.from({ length: 50 }, (_, i) => ({ name: `over ${i}`, when: 'above' as const, value: i }))
  await putFigure(engine.pool, { rappel: 'figure/1', name: 'open', table: 'claims', of: { count: true }, thresholds }, await readSurroundings(engine.pool, BASE_URL), new Date())
  for (const { name } of thresholds)
    await goLive(
      engine,
      newClaimWorkflow({
        name,
        cue: { kind: 'figure', figure: 'open', threshold: name },
        actions: [{ name: 'tell', do: 'email', to: [{ address: 'all@x.example' }], subject: '{{ figure.value }}', body: 'x' }],
      }),
    )
  const worker = await startWorkerProcess(engine)
  for (let i = 0; i < Math.min(50, CROSSINGS); i++) {
    await engine.pool.query('insert into data.claims (owner) values ($1)', [ines])
    await new Promise((resolve) => setTimeout(resolve, 100))
  }
  await until('all mail', async () => (await one<{ n: number }>(engine.pool, `select count(*) as n from rappel.message where state = 'sent'`)).n === 50)
  const { half } = await one<{ half: number }>(
    engine.pool,
    `select percentile_cont(0.5) within group (order by extract(epoch from finished_at - changed_at) * 1000)::float as half from rappel.message where state = 'sent'`,
  )
  report('from the save that crosses to the mail server’s acceptance, median', `${half.toFixed(0)} ms`, 'under 50 ms', half < 50)
  worker.kill('SIGTERM')
  await engine.stop()
}
