import { Dispatcher } from '@/engine/dispatch'
import { busyShards } from '@/store/changes'
import { createPool, many } from '@/store/database'
import { migrate } from '@/store/migrate'
import { makeClaims, newClaimWorkflow } from '../support/claims'
import { BASE_URL, goLive } from '../support/engine'
import { Cluster } from '../support/servers/clusters'

// PostgreSQL 15, "PREPARE TRANSACTION": a transaction that executed NOTIFY cannot be prepared.
test('whoever writes may prepare the transaction and commit it later, and its change is decided about then', async () => {
  const cluster = await Cluster.make(['max_prepared_transactions = 5'])
  const pool = createPool(cluster.url(), { max: 4 })
  try {
    await migrate(pool)
    const { ines } = await makeClaims(pool)
    await goLive({ pool }, newClaimWorkflow())
    const writer = await pool.connect()
    await writer.query('begin')
    await writer.query('insert into data.claims (owner) values ($1)', [ines])
    await writer.query(`prepare transaction 'later'`)
    const dispatcher = new Dispatcher(pool, BASE_URL, () => new Date())
    const handle = async () => {
      for (const shard of await busyShards(pool)) await dispatcher.handleShard(shard)
      return (await many(pool, 'select from rappel.run')).length
    }
    expect(await handle()).toBe(0)
    await writer.query(`commit prepared 'later'`)
    writer.release()
    expect(await handle()).toBe(1)
  } finally {
    await pool.end()
    cluster.remove()
  }
}, 120_000)
