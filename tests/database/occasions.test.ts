import { cp, mkdtemp, readdir, rm } from 'node:fs/promises'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { createPool, many, one } from '@/store/database'
import { queueMessages } from '@/store/mail/queue'
import { listMessages } from '@/store/messages'
import { migrate } from '@/store/migrate'
import { insertRuns, listRuns, type NewRun, readRun, runKey } from '@/store/runs'
import { makeClaims, newClaimWorkflow } from '../support/claims'
import { administer, emptyDatabase, freshDatabase } from '../support/database'
import { goLive } from '../support/engine'
import { newRun } from '../support/runs'

const MIGRATIONS = join(process.cwd(), 'src/store/migrations')

test('runs of the version before keep working: each has its change as its occasion, with its mail, and is not run twice', async () => {
  const db = await emptyDatabase()
  const folder = await mkdtemp(join(tmpdir(), 'rappel-migrations-'))
  const pool = createPool(db.url)
  try {
    for (const file of (await readdir(MIGRATIONS)).filter((f) => f < '016')) await cp(join(MIGRATIONS, file), join(folder, file))
    await migrate(pool, folder)
    await pool.query(`insert into rappel.workflow (name, draft, state, version) values ('Old', $1, 'live', 1)`, [JSON.stringify(newClaimWorkflow({ name: 'Old' }))])
    await pool.query(`insert into rappel.workflow_version (workflow, version, document, live_at) select id, 1, draft, now() from rappel.workflow`)
    const { id } = await one<{ id: number }>(
      pool,
      `insert into rappel.run (workflow, version, change_id, tbl, rec, title, state, why, trace, changed_at, at)
       select id, 1, 41, 'claims', 7, 'CL-0007', 'done', 'It was created.', '{"change":{"id":41,"kind":"created","at":"2026-01-01T00:00:00Z","by":{"kind":"system","person":null,"name":"x"},"changed":[],"before":null,"after":null},"clauses":[],"messages":[],"notes":[]}', now(), now()
         from rappel.workflow returning id`,
    )
    await pool.query(
      `insert into rappel.message (run, workflow, action, tbl, rec, message_id, sender, subject, html, body, next_at, changed_at, created_at)
       select $1, id, 'tell', 'claims', 7, '<a@x.example>', '{"name":null,"address":"a@x.example"}', 'S', 'H', 'B', now(), now(), now() from rappel.workflow`,
      [id],
    )
    expect(await migrate(pool)).toBe((await readdir(MIGRATIONS)).length - (await readdir(folder)).length)
    const [run] = await listRuns(pool, { limit: 5 })
    expect(run).toMatchObject({ id, kind: 'change', change: 41, occasion: null, record: 7, messages: 1, state: 'mail waiting' })
    expect((await readRun(pool, id))?.trace.change?.id).toBe(41)
    const { workflow } = await one<{ workflow: number }>(pool, 'select id as workflow from rappel.workflow')
    expect(await insertRuns(pool, [newRun({ workflow, key: '41', change_id: 41 })])).toEqual(new Map())
  } finally {
    await pool.end()
    await rm(folder, { recursive: true, force: true })
    await administer(`drop database if exists ${db.name} with (force)`)
  }
})

test('a message that several runs share is found from each of them, and they from it', async () => {
  const db = await freshDatabase()
  try {
    await makeClaims(db.pool)
    await goLive(db, newClaimWorkflow())
    const { id: workflow } = await one<{ id: number }>(db.pool, 'select id from rappel.workflow')
    const runs = [newRun({ workflow, key: '1' }), newRun({ workflow, key: '2', change_id: 2 })]
    const ids = await insertRuns(db.pool, runs)
    const message = {
      workflow,
      action: 'tell',
      tbl: null,
      rec: null,
      message_id: '<shared@x.example>',
      sender: { address: 'a@x.example', name: null },
      reply_to: null,
      subject: '2 alerts',
      html: 'H',
      body: 'B',
      priority: 'normal' as const,
      attachments: null,
      changed_at: new Date(),
      created_at: new Date(),
      recipients: [{ part: 'to' as const, address: 'ines@office.example', name: null }],
    }
    await queueMessages(db.pool, [{ ...message, run: ids.get(runKey(runs[0] as NewRun)) as number }])
    const { id } = await one<{ id: number }>(db.pool, 'select id from rappel.message')
    await db.pool.query('update rappel.message set run = null')
    for (const run of ids.values()) await db.pool.query('insert into rappel.message_run (message, run) values ($1, $2)', [id, run])
    expect((await listRuns(db.pool, { limit: 5 })).map((r) => [r.messages, r.state])).toEqual([
      [1, 'mail waiting'],
      [1, 'mail waiting'],
    ])
    for (const run of ids.values()) expect((await listMessages(db.pool, { run, limit: 5 })).map((m) => m.id)).toEqual([id])
    expect((await listRuns(db.pool, { to: 'ines@office.example', limit: 5 })).length).toBe(2)
    expect(await many(db.pool, 'select run from rappel.run_message where message = $1', [id])).toHaveLength(2)
  } finally {
    await db.drop()
  }
})
