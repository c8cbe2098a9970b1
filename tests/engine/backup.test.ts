import { spawnSync } from 'node:child_process'
import { mkdtemp, readdir, rm } from 'node:fs/promises'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import type { Pool } from 'pg'
import pino from 'pino'
import { readSurroundings } from '@/engine/program'
import { Worker } from '@/engine/worker/worker'
import { PostRoom } from '@/outside/post-room/post-room'
import { createPool, many, one } from '@/store/database'
import { listFigures, putFigure } from '@/store/figures/definitions'
import { migrate } from '@/store/migrate'
import { readAsleep, settleIn, wake } from '@/store/place'
import { makeClaims, newClaimWorkflow } from '../support/claims'
import { BASE_URL, goLive, until } from '../support/engine'
import { Cluster } from '../support/servers/clusters'

let home: string
let room: PostRoom
const workers: Worker[] = []
beforeEach(async () => {
  home = await mkdtemp(join(tmpdir(), 'rappel-backup-'))
  room = await PostRoom.open({ folder: join(home, 'post-room'), smtpPort: 0, httpPort: 0 })
})
afterEach(async () => {
  await stopWorkers()
  await room.close()
  await rm(home, { recursive: true, force: true })
})

const stopWorkers = () => Promise.all(workers.splice(0).map((w) => w.stop()))

async function startWorker(databaseUrl: string): Promise<void> {
  const worker = new Worker({ databaseUrl, smtpUrl: `smtp://127.0.0.1:${room.smtpPort}`, isSmtpFixed: true, baseUrl: BASE_URL, log: pino({ level: 'silent' }) })
  await worker.start()
  workers.push(worker)
}

function script(name: string, databaseUrl: string, ...args: string[]): string {
  const { status, stdout, stderr } = spawnSync(process.execPath, [`scripts/${name}.mjs`, ...args], {
    encoding: 'utf8',
    env: { ...process.env, DATABASE_URL: databaseUrl, RAPPEL_HOME: home },
  })
  if (status !== 0) throw new Error(`${name} ended with ${status}: ${stdout}${stderr}`)
  return stdout
}

const subjects = () => room.store.list({ limit: 1_000 }).map((mail) => mail.subject)
const quiet = (pool: Pool) => until('the queue to be empty', async () => (await many(pool, 'select 1 from rappel.queue')).length === 0)

test('an installation is saved at work and brought back elsewhere: it sends nothing before it is told to, then goes on where it was, though transactions there are numbered from the beginning', async () => {
  const before = await Cluster.make()
  const after = await Cluster.make()
  const [old, fresh] = [createPool(before.url()), createPool(after.url())]
  try {
    for (let i = 0; i < 3_000; i++) await old.query('select pg_current_xact_id()') // an old server has seen more transactions than a new one
    await migrate(old)
    const { ines } = await makeClaims(old)
    const add = (pool: Pool, amount: number) => pool.query('insert into data.claims (owner, amount) values ($1, $2)', [ines, amount])
    const figure = { rappel: 'figure/1', name: 'open', label: 'Open', table: 'claims', of: { count: true }, thresholds: [{ name: 'many', when: 'above', value: 6 }] } as const
    await putFigure(old, { ...figure, thresholds: [...figure.thresholds] }, await readSurroundings(old, BASE_URL), new Date())
    await goLive({ pool: old }, newClaimWorkflow())
    const tell = (subject: string) => [{ name: 'tell', do: 'email' as const, to: [{ address: 'lead@office.example' }], subject, body: 'B' }]
    await goLive({ pool: old }, newClaimWorkflow({ name: 'Many', cue: { kind: 'figure', figure: 'open', threshold: 'many' }, actions: tell('Many') }))
    await goLive({ pool: old }, newClaimWorkflow({ name: 'Ended', actions: tell('Ended') }))
    await startWorker(before.url())
    for (let i = 0; i < 3; i++) await add(old, i)
    await until('the mail', () => subjects().length === 6)
    await old.query(`update rappel.stretch set to_snapshot = rappel.snapshot(), to_at = now() where workflow = (select id from rappel.workflow where name = 'Ended')`)
    await old.query('select rappel.next_generation()')
    await stopWorkers()
    await add(old, 3) // not handled when it is saved

    script('backup', before.url(), join(home, 'saved'))
    const dump = (await readdir(join(home, 'saved'))).find((f) => f.endsWith('.dump')) as string
    await add(old, 4) // saved no more
    expect(script('restore', after.url(), join(home, 'saved', dump))).toContain('Restored.')
    expect(() => script('restore', after.url(), join(home, 'saved', dump))).toThrow(/holds an installation already/)

    const numbers = await one<{ log: string; next: string; own: string }>(
      fresh,
      'select (select max(xid)::text from rappel.change) as log, rappel.xid()::text as next, pg_current_xact_id()::text as own',
    )
    expect(Number(numbers.own)).toBeLessThan(Number(numbers.log))
    expect(Number(numbers.next)).toBeGreaterThan(Number(numbers.log))
    expect(await readAsleep(fresh)).not.toBeNull()
    await startWorker(after.url())
    await add(fresh, 5)
    await new Promise((resolve) => setTimeout(resolve, 1_500))
    expect(subjects()).toHaveLength(6)

    await wake(fresh, 'call off', new Date())
    await until('what was not handled and what came since', () => subjects().length === 8, 20_000)
    await quiet(fresh)
    await until('the figure', async () => (await one<{ n: number }>(fresh, 'select n::int as n from rappel.figure_value')).n === 5)
    for (const amount of [6, 7]) await add(fresh, amount)
    await until('the crossing', () => subjects().includes('Many'), 20_000)
    await quiet(fresh)
    await until('the mail of the last', () => subjects().length === 11, 20_000)
    expect(subjects().filter((s) => s === 'Ended')).toHaveLength(3) // one that had ended before fires no more
    expect(subjects().filter((s) => s.startsWith('Claim'))).toHaveLength(7)
    expect((await listFigures(fresh))[0]?.fault).toBeNull()
  } finally {
    await stopWorkers()
    await old.end()
    await fresh.end()
    before.remove()
    after.remove()
  }
}, 180_000)

test('a database that is restored over itself waits too, and its numbers stay', async () => {
  const cluster = await Cluster.make()
  const pool = createPool(cluster.url())
  try {
    await migrate(pool)
    await makeClaims(pool)
    expect(await settleIn(pool)).toBe(false)
    expect(await settleIn(pool)).toBe(false)
    await pool.query(`update rappel.setting set value = '"elsewhere"' where key = 'where'`)
    expect(await settleIn(pool)).toBe(true)
    expect(await readAsleep(pool)).toMatchObject({ raised: 0 }) // the same server: its numbers go on as they are
    expect(await wake(pool, 'send', new Date())).toBe(0)
    expect(await readAsleep(pool)).toBeNull()
  } finally {
    await pool.end()
    cluster.remove()
  }
}, 60_000)
