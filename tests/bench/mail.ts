import { mkdtemp, rm } from 'node:fs/promises'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { composition, createTransport } from '@/engine/delivery/send'
import { PostRoom } from '@/outside/post-room/post-room'
import { many, one } from '@/store/database'
import { makeClaims, newClaimWorkflow } from '../support/claims'
import { goLive, startEngine, until } from '../support/engine'
import { report, time } from './measure'

const MESSAGES = 1_500
const CONNECTIONS = 5

/** What bare nodemailer reaches against the same kind of server with the same pool. */
async function bare(): Promise<number> {
  const folder = await mkdtemp(join(tmpdir(), 'rappel-bench-'))
  const room = await PostRoom.open({ folder, smtpPort: 0, httpPort: 0 })
  const transport = createTransport(`smtp://127.0.0.1:${room.smtpPort}`, CONNECTIONS)
  const message = (i: number) =>
    composition({
      id: i,
      attempt: 1,
      tbl: 't',
      rec: i,
      message_id: `<${i}@x.example>`,
      sender: { address: 's@x.example', name: 'S' },
      reply_to: null,
      subject: `Claim ${i}`,
      html: '<p>Dear Ines, see http://rappel.example/records/claims/1</p>',
      body: 'Dear Ines, see http://rappel.example/records/claims/1',
      priority: 'normal',
      created_at: new Date(),
      recipients: [{ position: 1, part: 'to', address: 'ines@office.example', name: 'Ines', state: 'open' }],
    })
  const milliseconds = await time(() => Promise.all(Array.from({ length: MESSAGES }, (_, i) => transport.sendMail(message(i)))))
  transport.close()
  await room.close()
  await rm(folder, { recursive: true, force: true })
  return MESSAGES / (milliseconds / 1000)
}

async function wholeWay(): Promise<number> {
  const engine = await startEngine()
  const { ines } = await makeClaims(engine.pool)
  await goLive(engine, newClaimWorkflow())
  await engine.pool.query(`insert into data.claims (owner) select $1 from generate_series(1, ${MESSAGES})`, [ines])
  const milliseconds = await time(async () => {
    await engine.startWorker()
    await until('all mail', async () => (await one<{ n: number }>(engine.pool, `select count(*) as n from rappel.message where state = 'sent'`)).n === MESSAGES, 60_000)
  })
  await many(engine.pool, 'select 1')
  await engine.stop()
  return MESSAGES / (milliseconds / 1000)
}

/** Matched changes from the queue to accepted mail, against bare nodemailer; everything but PostgreSQL in one process, both ways. */
export async function benchMail(): Promise<void> {
  await bare()
  const limit = await bare()
  const rate = await wholeWay()
  report('matched changes with one mail each, share of bare nodemailer', `${(rate / limit).toFixed(2)} (${Math.round(rate)} of ${Math.round(limit)} /s)`, 'for the record', true)
}
