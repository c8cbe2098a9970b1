import pg from 'pg'
import { createPool } from '/work/main/src/store/database'
import { readSurroundings } from '/work/main/src/engine/program'
import { followFigure } from '/work/main/src/store/figures/history'
const orig = pg.Client.prototype.query as any
pg.Client.prototype.query = function (this: any, ...a: any[]) { const t = performance.now(); const r = orig.apply(this, a); if (r?.then) r.then(() => { const ms = performance.now() - t; if (ms > 100) console.log(Math.round(ms), 'ms', typeof a[0] === 'string' ? a[0] : a[0].text, JSON.stringify(a[1])) }); return r } as any
const pool = createPool(process.argv[2] as string)
const setting = await readSurroundings(pool, 'http://x')
const t = performance.now()
await followFigure(pool, { rappel: 'figure/1', name: 'f1', table: 'claims', of: { sum: 'amount' }, by: 'owner', thresholds: [] }, setting, { from: new Date(Date.now() - 3_600_000), to: new Date() })
console.log('past', performance.now() - t)
process.exit(0)
