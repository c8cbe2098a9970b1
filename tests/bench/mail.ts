import { type ChildProcess, spawn } from 'node:child_process'
import { randomUUID } from 'node:crypto'
import { mkdtemp, rm } from 'node:fs/promises'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { createTransport } from 'nodemailer'
import { composition } from '@/engine/delivery/send'
import { PostRoom } from '@/outside/post-room/post-room'
import { argumentsFor } from '@/process'
import { one } from '@/store/database'
import { makeClaims, newClaimWorkflow } from '../support/claims'
import { BASE_URL, goLive, startEngine } from '../support/engine'
import { median, report, time } from './measure'

const MESSAGES = 4_000
const CONNECTIONS = 5

/** What bare nodemailer reaches against the same kind of server with the same pool. */
async function bare(): Promise<number> {
  const folder = await mkdtemp(join(tmpdir(), 'rappel-bench-'))
  const room = await PostRoom.open({ folder, smtpPort: 0, httpPort: 0 })
  const transport = createTransport({ host: '127.0.0.1', port: room.smtpPort, pool: true, maxConnections: CONNECTIONS, maxMessages: Number.POSITIVE_INFINITY })
  const message = (i: number) =>
    composition({
      id: i,
      attempt: 1,
      tbl: 'claims',
      rec: i,
      message_id: `<${randomUUID()}@localhost.localdomain>`,
      sender: { address: 'rappel@localhost.localdomain', name: 'Rappel' },
      reply_to: null,
      subject: `Claim CL-${i}`,
      html: '<p>Dear Ines, see <a href="http://rappel.example/records/claims/1">http://rappel.example/records/claims/1</a></p>',
      body: 'Dear Ines, see http://rappel.example/records/claims/1',
      priority: 'normal',
      attachments: null,
      created_at: new Date(),
      recipients: [{ position: 1, part: 'to', address: 'ines@office.example', name: 'Ines Okafor', state: 'open' }],
    })
  const milliseconds = await time(() => Promise.all(Array.from({ length: MESSAGES }, (_, i) => transport.sendMail(message(i)))))
  transport.close()
  await room.close()
  await rm(folder, { recursive: true, force: true })
  return MESSAGES / (milliseconds / 1000)
}

/** The other half of a worker, as `npm start` runs it: a process of its own that decides what comes of changes. */
function startChangesProcess(databaseUrl: string, smtpPort: number): Promise<ChildProcess> {
  const child = spawn(process.execPath, argumentsFor('worker'), {
    env: {
      ...process.env,
      DATABASE_URL: databaseUrl,
      RAPPEL_SMTP_URL: `smtp://127.0.0.1:${smtpPort}`,
      RAPPEL_BASE_URL: BASE_URL,
      LOG_LEVEL: 'silent',
      RAPPEL_WORKER_PART: 'changes',
    },
    stdio: ['ignore', 'inherit', 'inherit', 'ipc'],
  })
  return new Promise((resolve, reject) => {
    child.once('message', () => resolve(child))
    child.once('exit', (code) => reject(new Error(`the process ended with ${code} before it was ready`)))
  })
}

/** From the commit of the changes to the acceptance of all their mail, with a worker that is up and warm. */
async function wholeWay(): Promise<number> {
  const engine = await startEngine()
  const { ines } = await makeClaims(engine.pool)
  await goLive(engine, newClaimWorkflow())
  const changes = await startChangesProcess(engine.url, engine.room.smtpPort)
  await engine.startWorker(['mail'])
  const run = async (count: number) => {
    const { before } = await one<{ before: number }>(engine.pool, 'select count(*) as before from rappel.message')
    return time(async () => {
      await engine.pool.query('insert into data.claims (owner) select $1 from generate_series(1, $2::int)', [ines, count])
      while ((await one<{ n: number }>(engine.pool, `select count(*) as n from rappel.delivery_attempt where outcome = 'sent'`)).n < before + count)
        await new Promise((resolve) => setTimeout(resolve, 50))
    })
  }
  await run(1_500)
  const milliseconds = await run(MESSAGES)
  changes.kill('SIGTERM')
  await new Promise((resolve) => changes.once('exit', resolve))
  await engine.stop()
  return MESSAGES / (milliseconds / 1000)
}

/** Matched changes from their commit to accepted mail, against bare nodemailer, turn by turn; delivery and the server it delivers to in one process, both ways. */
export async function benchMail(): Promise<void> {
  await bare()
  const shares: number[] = []
  const rates: string[] = []
  for (let turn = 0; turn < 3; turn++) {
    const limit = await bare()
    const rate = await wholeWay()
    shares.push(rate / limit)
    rates.push(`${Math.round(rate)} of ${Math.round(limit)}`)
  }
  const share = median(shares)
  report('matched changes with one mail each, share of bare nodemailer', `${share.toFixed(2)} (${rates.join(', ')} /s)`, 'at least 0.8', share >= 0.8)
}
