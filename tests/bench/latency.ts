import { spawn } from 'node:child_process'
import { argumentsFor } from '@/process'
import { many } from '@/store/database'
import { makeClaims, newClaimWorkflow } from '../support/claims'
import { BASE_URL, goLive, startEngine, until } from '../support/engine'
import { quantile, report } from './measure'

const PER_SECOND = 20
const SECONDS = 20

/** The first mails wait for connections: the stand-in's server greets after 100 ms, to tell those who speak too early (RFC 5321, section 3.1). */
const WARM = 10

interface Phases {
  readonly id: number
  readonly ms: number
  /** From the save until it was decided about, from there until the attempt was noted, and from there to the end; in milliseconds. */
  readonly decided: number
  readonly tried: number
  readonly noted: number
}

/** Where the slowest hundredth spends its time. */
function tellSlowest(rows: readonly Phases[]): void {
  const slowest = rows
    .map((row, i) => ({ ...row, i }))
    .sort((a, b) => b.ms - a.ms)
    .slice(0, Math.ceil(rows.length / 100))
  for (const { i, ms, decided, tried, noted } of slowest)
    console.info(`  mail ${i + 1} of ${rows.length}: ${ms.toFixed(0)} ms; ${decided.toFixed(0)} until decided, ${tried?.toFixed(0)} until tried, ${noted?.toFixed(0)} until noted`)
}

/** How long it takes from a save to the mail server's acceptance, with the worker a process of its own. */
export async function benchLatency(): Promise<void> {
  const engine = await startEngine()
  const { ines } = await makeClaims(engine.pool)
  await goLive(engine, newClaimWorkflow())
  const env = { ...process.env, DATABASE_URL: engine.url, RAPPEL_SMTP_URL: `smtp://127.0.0.1:${engine.room.smtpPort}`, RAPPEL_BASE_URL: BASE_URL, LOG_LEVEL: 'silent' }
  const worker = spawn(process.execPath, argumentsFor('worker'), { env, stdio: ['ignore', 'inherit', 'inherit', 'ipc'] })
  await new Promise((resolve) => worker.once('message', resolve))
  const count = PER_SECOND * SECONDS
  const start = performance.now()
  for (let i = 0; i < count; i++) {
    await new Promise((resolve) => setTimeout(resolve, Math.max(0, start + (i * 1000) / PER_SECOND - performance.now())))
    await engine.pool.query('insert into data.claims (owner, amount) values ($1, $2)', [ines, i])
  }
  const since = (from: string, to: string) => `(extract(epoch from ${to} - ${from}) * 1000)::float`
  const sent = () =>
    many<Phases>(
      engine.pool,
      `select m.id, ${since('m.changed_at', 'm.finished_at')} as ms, ${since('m.changed_at', 'm.created_at')} as decided, ${since('m.created_at', 'a.at')} as tried, ${since('a.at', 'm.finished_at')} as noted
         from rappel.message m left join lateral (select min(at) as at from rappel.delivery_attempt a where a.message = m.id) a on true where m.state = 'sent' order by m.id`,
    )
  const rows = await until('all mail', async () => {
    const found = await sent()
    return found.length === count ? found : null
  })
  const times = rows.map((r) => r.ms)
  const [half, most] = [quantile(times, 0.5), quantile(times, 0.99)]
  report(`save to acceptance at ${PER_SECOND} changes a second, median`, `${half.toFixed(0)} ms`, 'at most 12 ms', half <= 12)
  report(`save to acceptance at ${PER_SECOND} changes a second, 99th percentile`, `${most.toFixed(0)} ms`, 'at most 60 ms', most <= 60)
  tellSlowest(rows)
  const settled = quantile(times.slice(WARM), 0.99)
  report('the same once the first mails have opened the connections to the mail server', `${settled.toFixed(0)} ms`, 'at most 60 ms', settled <= 60)
  worker.kill('SIGTERM')
  await new Promise((resolve) => worker.once('exit', resolve))
  await engine.stop()
}
