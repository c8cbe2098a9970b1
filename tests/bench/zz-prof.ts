import { makeTemplate, freshDatabase } from '/work/main/tests/support/database'
import { makeClaims } from '/work/main/tests/support/claims'
import { Upkeep } from '/work/main/src/engine/figures/upkeep'
import { readSurroundings } from '/work/main/src/engine/program'
import { putFigure } from '/work/main/src/store/figures/definitions'
import { followFigure } from '/work/main/src/store/figures/history'
const what = process.argv[2]
await makeTemplate()
const { pool, drop } = await freshDatabase()
const { ines, rafi } = await makeClaims(pool)
const figure = (i: number): any => ({ rappel: 'figure/1', name: `f${i}`, table: 'claims', of: i % 3 ? { sum: 'amount' } : { count: true }, where: { field: 'amount', op: 'at least', value: i }, ...(i % 2 ? { by: 'owner' } : {}), thresholds: [{ name: 't', when: 'above', value: 1e12 }] })
const setting = await readSurroundings(pool, 'http://x')
if (what === 'single') {
  await pool.query('insert into data.claims (owner, amount) select $1, g from generate_series(1, 1000) g', [ines])
  for (let i = 0; i < 20; i++) await putFigure(pool, figure(i), setting, new Date())
  await pool.query(`create procedure public.save(n int) language plpgsql as $$ begin for i in 1..n loop update data.claims set amount = amount + 1 where id = 1 + i % 1000; commit; end loop; end $$`)
  for (let r = 0; r < 3; r++) {
  await pool.query(`call public.save(10000)`)
  const q = pool.query; 
  const t = performance.now()
  const u = new Upkeep(pool, () => new Date(), async () => undefined)
  while ((await u.moveAll(await readSurroundings(pool, 'x'))) > 0);
  console.log('single', Math.round(10_000 / (performance.now() - t) * 1000), '/s')
  }
} else {
  await pool.query('alter table data.claims disable trigger user')
  await pool.query(`insert into data.claims (owner, amount) select case when g % 2 = 0 then $1::bigint else $2::bigint end, g % 1000 from generate_series(1, 1000000) g`, [ines, rafi])
  await pool.query('alter table data.claims enable trigger user')
  await pool.query('vacuum analyze data.claims')
  await putFigure(pool, figure(0), setting, new Date())
  let t = performance.now()
  for (let i = 0; i < 10; i++) await pool.query('select owner, sum(amount) from data.claims group by owner')
  const plain = performance.now() - t
  await pool.query('update data.claims set amount = amount + 1')
  t = performance.now()
  const u = new Upkeep(pool, () => new Date(), async () => undefined)
  while ((await u.moveAll(await readSurroundings(pool, 'x'))) > 0);
  const took = performance.now() - t
  console.log('bulk', took / plain, took, plain)
  t = performance.now()
  await followFigure(pool, { ...figure(1), where: undefined }, setting, { from: new Date(Date.now() - 3_600_000), to: new Date() })
  console.log('past', performance.now() - t)
}
if (process.env.KEEP) console.log((pool as any).options.connectionString); else await drop()
process.exit(0)
