import { spawn } from 'node:child_process'
import { argumentsFor } from '@/process'
import { many, one } from '@/store/database'
import { makeClaims, newClaimWorkflow } from '../support/claims'
import { BASE_URL, goLive, startEngine, until } from '../support/engine'
import { quantile, report } from './measure'

const WAITING = 100_000
const FRESH = 150

/** A hundred thousand messages of one workflow that wait for a server that comes back: how fast they go, and how long mail that is made meanwhile takes. */
export async function benchBacklog(): Promise<void> {
  const engine = await startEngine()
  await makeClaims(engine.pool)
  await goLive(engine, newClaimWorkflow({ name: 'Storm' }))
  await goLive(engine, newClaimWorkflow({ name: 'Quiet' }))
  const ids = new Map((await many<{ id: number; name: string }>(engine.pool, 'select id, name from rappel.workflow')).map((w) => [w.name, w.id]))
  await engine.pool.query(
    `with made as (insert into rappel.message (workflow, action, message_id, sender, subject, html, body, next_at, changed_at, created_at)
       select $1, 'a', '<b' || g || '@x.example>', '{"address": "s@x.example", "name": null}', 'S', '<p>B</p>', 'B', now() - interval '2 hours', now(), now() - interval '2 hours' from generate_series(1, ${WAITING}) g returning id)
     insert into rappel.message_recipient (message, position, part, address) select id, 1, 'to', 'p' || id % 500 || '@x.example' from made`,
    [ids.get('Storm')],
  )
  await engine.pool.query('analyze rappel.message')
  const env = {
    ...process.env,
    DATABASE_URL: engine.url,
    RAPPEL_SMTP_URL: `smtp://127.0.0.1:${engine.room.smtpPort}`,
    RAPPEL_BASE_URL: BASE_URL,
    LOG_LEVEL: 'silent',
    RAPPEL_WORKER_PART: 'mail',
  }
  const worker = spawn(process.execPath, argumentsFor('worker'), { env, stdio: ['ignore', 'inherit', 'inherit', 'ipc'] })
  await new Promise((resolve) => worker.once('message', resolve))
  const sent = () => one<{ n: number }>(engine.pool, `select count(*)::int as n from rappel.message where state = 'sent'`).then((r) => r.n)
  await until('it to go', async () => (await sent()) > 500)
  const [began, before] = [performance.now(), await sent()]
  const post = (workflow: string, priority: string, i: number) =>
    engine.pool.query(
      `with made as (insert into rappel.message (workflow, action, message_id, sender, subject, html, body, priority, next_at, changed_at, created_at)
         values ($1, 'a', $2, '{"address": "s@x.example", "name": null}', 'S', '<p>B</p>', 'B', $3, now(), now(), now()) returning id)
       insert into rappel.message_recipient (message, position, part, address) select id, 1, 'to', 'fresh@x.example' from made`,
      [ids.get(workflow), `<f${workflow}${priority}${i}@x.example>`, priority],
    )
  for (let i = 0; i < FRESH; i++) {
    await post('Storm', 'normal', i)
    await post('Quiet', 'normal', i)
    await post('Storm', 'high', i)
    await new Promise((resolve) => setTimeout(resolve, 30))
  }
  const fresh = () =>
    many<{ name: string; priority: string; ms: number }>(
      engine.pool,
      `select w.name, m.priority, extract(epoch from m.finished_at - m.created_at)::float * 1000 as ms from rappel.message m join rappel.workflow w on w.id = m.workflow where m.message_id like '<f%' and m.state = 'sent'`,
    )
  const all = await until('the fresh ones', async () => {
    const found = await fresh()
    return found.length === FRESH * 3 ? found : null
  })
  const left = WAITING + FRESH * 3 - (await sent())
  const rate = ((await sent()) - before) / ((performance.now() - began) / 1_000)
  report(`mail that goes while ${WAITING} messages wait`, `${rate.toFixed(0)} /s, ${left} left when all fresh ones had gone`, 'the backlog is not first', left > FRESH)
  for (const [what, name, priority] of [
    ['fresh mail of the same workflow', 'Storm', 'normal'],
    ['fresh mail of another', 'Quiet', 'normal'],
    ['urgent mail', 'Storm', 'high'],
  ] as const) {
    const times = all.filter((m) => m.name === name && m.priority === priority).map((m) => m.ms)
    report(`${what}, 99 of 100`, `${quantile(times, 0.99).toFixed(0)} ms, half ${quantile(times, 0.5).toFixed(0)} ms`, 'at most 1000 ms', quantile(times, 0.99) <= 1_000)
  }
  const ended = new Promise((resolve) => worker.once('exit', resolve))
  worker.kill('SIGTERM')
  await ended
  await engine.stop()
}
