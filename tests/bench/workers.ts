import { type ChildProcess, spawn } from 'node:child_process'
import { argumentsFor } from '@/process'
import { one } from '@/store/database'
import { makeClaims, newClaimWorkflow } from '../support/claims'
import { BASE_URL, goLive, startEngine, until } from '../support/engine'
import { report } from './measure'

const CHANGES = 20_000
/** One change in so many sends a mail. */
const SHARE = 5

/** How long a backlog takes that so many workers share, each as two processes: one decides, one delivers. */
async function shared(count: number): Promise<number> {
  const engine = await startEngine()
  const { ines } = await makeClaims(engine.pool)
  await goLive(engine, newClaimWorkflow({ conditions: { field: 'amount', op: 'is', value: 0 } }))
  await engine.pool.query(`insert into data.claims (owner, amount) select $1, g % ${SHARE} from generate_series(1, ${CHANGES}) g`, [ines])
  const env = { ...process.env, DATABASE_URL: engine.url, RAPPEL_SMTP_URL: `smtp://127.0.0.1:${engine.room.smtpPort}`, RAPPEL_BASE_URL: BASE_URL, LOG_LEVEL: 'silent' }
  const began = performance.now()
  const workers: ChildProcess[] = []
  for (let i = 0; i < count; i++)
    for (const part of ['changes', 'mail'])
      workers.push(spawn(process.execPath, argumentsFor('worker'), { env: { ...env, RAPPEL_WORKER_PART: part }, stdio: ['ignore', 'inherit', 'inherit', 'ipc'] }))
  await until('all mail', async () => (await one<{ n: number }>(engine.pool, `select count(*)::int as n from rappel.message where state = 'sent'`)).n === CHANGES / SHARE, 600_000)
  const seconds = (performance.now() - began) / 1_000
  await Promise.all(
    workers.map((worker) => {
      const ended = new Promise((resolve) => worker.once('exit', resolve))
      worker.kill('SIGTERM')
      return ended
    }),
  )
  await engine.stop()
  return seconds
}

/** What more workers bring on this machine. */
export async function benchWorkers(): Promise<void> {
  const alone = await shared(1)
  report(
    `${CHANGES} changes, one in ${SHARE} with mail, one worker`,
    `${(CHANGES / alone).toFixed(0)} changes/s, ${(CHANGES / SHARE / alone).toFixed(0)} mails/s`,
    'the measure of the next two',
    true,
  )
  for (const count of [2, 4]) {
    const seconds = await shared(count)
    report(`the same, ${count} workers`, `${(CHANGES / seconds).toFixed(0)} changes/s, ${(alone / seconds).toFixed(2)} times one`, 'as many cores as there are', true)
  }
}
