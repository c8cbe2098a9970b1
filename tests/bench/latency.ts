import { spawn } from 'node:child_process'
import { many } from '@/store/database'
import { makeClaims, newClaimWorkflow } from '../support/claims'
import { BASE_URL, goLive, startEngine, until } from '../support/engine'
import { quantile, report } from './measure'

const PER_SECOND = 20
const SECONDS = 20

/** How long it takes from a save to the mail server's acceptance, with the worker a process of its own. */
export async function benchLatency(): Promise<void> {
  const engine = await startEngine()
  const { ines } = await makeClaims(engine.pool)
  await goLive(engine, newClaimWorkflow())
  const env = { ...process.env, DATABASE_URL: engine.url, RAPPEL_SMTP_URL: `smtp://127.0.0.1:${engine.room.smtpPort}`, RAPPEL_BASE_URL: BASE_URL, LOG_LEVEL: 'silent' }
  const worker = spawn(process.execPath, ['--import', 'tsx', 'src/engine/main.ts'], { env, stdio: ['ignore', 'inherit', 'inherit', 'ipc'] })
  await new Promise((resolve) => worker.once('message', resolve))
  const count = PER_SECOND * SECONDS
  const start = performance.now()
  for (let i = 0; i < count; i++) {
    await new Promise((resolve) => setTimeout(resolve, Math.max(0, start + (i * 1000) / PER_SECOND - performance.now())))
    await engine.pool.query('insert into data.claims (owner, amount) values ($1, $2)', [ines, i])
  }
  const sent = () => many<{ ms: number }>(engine.pool, `select (extract(epoch from finished_at - changed_at) * 1000)::float as ms from rappel.message where state = 'sent'`)
  const times = await until('all mail', async () => {
    const rows = await sent()
    return rows.length === count ? rows.map((r) => r.ms) : null
  })
  const [half, most] = [quantile(times, 0.5), quantile(times, 0.99)]
  report(`save to acceptance at ${PER_SECOND} changes a second, median`, `${half.toFixed(0)} ms`, 'under 100 ms', half < 100)
  report(`save to acceptance at ${PER_SECOND} changes a second, 99th percentile`, `${most.toFixed(0)} ms`, 'under 500 ms', most < 500)
  worker.kill('SIGTERM')
  await new Promise((resolve) => worker.once('exit', resolve))
  await engine.stop()
}
