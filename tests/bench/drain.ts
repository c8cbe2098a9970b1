import { Dispatcher } from '@/engine/dispatch'
import { busyShards } from '@/store/changes'
import { makeClaims, newClaimWorkflow } from '../support/claims'
import { freshDatabase } from '../support/database'
import { BASE_URL, goLive } from '../support/engine'
import { median, report, time } from './measure'

const CHANGES = 20_000

async function drained(live: number): Promise<number> {
  const { pool, drop } = await freshDatabase()
  const { ines } = await makeClaims(pool)
  for (let i = 0; i < live; i++)
    await goLive(
      { pool },
      newClaimWorkflow({
        name: `W${i}`,
        cue: { kind: 'record', on: ['created', 'changed'] },
        conditions: {
          all: [
            { field: 'amount', op: 'at least', value: 1e9 + i },
            { field: 'status', op: 'is', value: 'Settled' },
          ],
        },
      }),
    )
  const dispatcher = new Dispatcher(pool, BASE_URL, () => new Date())
  const rates: number[] = []
  for (let round = 0; round < 3; round++) {
    await pool.query(`insert into data.claims (status, amount, owner) select 'New', g, $1 from generate_series(1, ${CHANGES}) g`, [ines])
    const milliseconds = await time(async () => {
      for (let busy = await busyShards(pool); busy.length; busy = await busyShards(pool)) await dispatcher.handleShards(busy)
    })
    rates.push(CHANGES / (milliseconds / 1000))
  }
  await drop()
  return median(rates)
}

/** How fast one worker handles changes that fire nothing. */
export async function benchDrain(): Promise<void> {
  for (const live of [1, 50]) {
    const rate = await drained(live)
    report(`unmatched changes one worker drains, ${live} workflows live`, `${Math.round(rate)} /s`, 'at least 25000 /s', rate >= 25_000)
  }
}
