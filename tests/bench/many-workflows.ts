import type { TableDef } from '@/core/values/tables'
import { Dispatcher } from '@/engine/dispatch'
import { busyShards } from '@/store/changes'
import { putTable } from '@/store/tables'
import { CLAIMS, newClaimWorkflow } from '../support/claims'
import { freshDatabase } from '../support/database'
import { BASE_URL, goLive } from '../support/engine'
import { median, report, time } from './measure'

const TABLES = 20
const CHANGES = 10_000

const tableAt = (i: number): TableDef => ({ ...CLAIMS, name: `claims_${i}`, singular: `claim_${i}`, label: `Claims ${i}` })

/** Changes a second that one worker drains, spread over 20 tables with so many workflows live in all. */
async function drained(live: number): Promise<number> {
  const { pool, drop } = await freshDatabase()
  for (let i = 0; i < TABLES; i++) await putTable(pool, tableAt(i))
  for (let i = 0; i < live; i++) {
    const fields = [['status'], ['amount'], ['note'], ['due']][i % 4] as string[]
    await goLive(
      { pool },
      newClaimWorkflow({
        name: `W${i}`,
        table: `claims_${i % TABLES}`,
        cue: { kind: 'record', on: i % 3 ? ['changed'] : ['created', 'changed'], fields },
        conditions: { all: [{ field: 'amount', op: 'at least', value: 1e9 + i }] },
        actions: [{ name: 'tell', do: 'email', to: [{ field: 'owner' }], subject: 'S', body: 'B' }],
      }),
    )
  }
  for (let i = 0; i < TABLES; i++) await pool.query(`insert into data.claims_${i} (status, amount) select 'New', g from generate_series(1, ${CHANGES / TABLES}) g`)
  const dispatcher = new Dispatcher(pool, BASE_URL, () => new Date())
  const drain = () =>
    time(async () => {
      for (let busy = await busyShards(pool); busy.length; busy = await busyShards(pool)) for (const shard of busy) await dispatcher.handleShard(shard)
    })
  await drain()
  const rates: number[] = []
  for (let round = 0; round < 3; round++) {
    for (let i = 0; i < TABLES; i++) await pool.query(`update data.claims_${i} set note = $1`, [`round ${round}`])
    rates.push(CHANGES / ((await drain()) / 1000))
  }
  await drop()
  return median(rates)
}

/** What an unmatched change costs with 500 workflows live on 20 tables, against 10. */
export async function benchManyWorkflows(): Promise<void> {
  const [few, lots] = [await drained(10), await drained(500)]
  report(
    'unmatched change with 500 workflows live on 20 tables, times with 10',
    `${(few / lots).toFixed(2)} (${Math.round(lots)} of ${Math.round(few)} /s)`,
    'at most 2',
    few / lots <= 2,
  )
}
