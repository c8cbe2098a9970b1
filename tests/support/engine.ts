import { mkdtemp, rm } from 'node:fs/promises'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import pino from 'pino'
import type { Workflow } from '@/core/document/document'
import type { WorkerOptions, WorkerPart } from '@/engine/worker/options'
import { Worker } from '@/engine/worker/worker'
import { PostRoom } from '@/outside/post-room/post-room'
import { putLive, saveDraft } from '@/store/workflows'
import { freshDatabase } from './database'

export const BASE_URL = 'http://rappel.example'

/** A database, a post room and, when started, workers: all real, all one's own. */
export async function startEngine() {
  const db = await freshDatabase()
  const folder = await mkdtemp(join(tmpdir(), 'rappel-engine-'))
  const room = await PostRoom.open({ folder, smtpPort: 0, httpPort: 0 })
  const workers: Worker[] = []
  const startWorker = async (parts?: readonly WorkerPart[], more: Partial<WorkerOptions> = {}) => {
    const worker = new Worker({
      databaseUrl: db.url,
      smtpUrl: `smtp://127.0.0.1:${room.smtpPort}`,
      baseUrl: BASE_URL,
      log: pino({ level: 'silent' }),
      ...(parts ? { parts } : {}),
      ...more,
    })
    await worker.start()
    workers.push(worker)
    return worker
  }
  const stop = async () => {
    await Promise.all(workers.map((w) => w.stop()))
    await room.close()
    await db.drop()
    await rm(folder, { recursive: true, force: true })
  }
  return { ...db, room, folder, startWorker, stop }
}

export type Engine = Awaited<ReturnType<typeof startEngine>>

/** Saves a workflow and puts it live. */
export async function goLive(engine: { pool: Engine['pool'] }, workflow: Workflow, at?: Date): Promise<void> {
  await saveDraft(engine.pool, workflow.name, workflow, null)
  await putLive(engine.pool, workflow.name, null, at ? { at } : {})
}

/** Waits until something holds, asking again every few milliseconds. */
export async function until<T>(what: string, ask: () => Promise<T | null | false | undefined> | T | null | false | undefined, milliseconds = 60_000): Promise<T> {
  const end = Date.now() + milliseconds
  for (;;) {
    const answer = await ask()
    if (answer) return answer
    if (Date.now() > end) throw new Error(`Waited ${milliseconds} ms in vain for ${what}.`)
    await new Promise((resolve) => setTimeout(resolve, 10))
  }
}
