import { readFileSync } from 'node:fs'
import { join } from 'node:path'
import pino from 'pino'
import { startTracing } from '@/engine/trace'
import { onStop } from '@/process'
import { endUnreachable } from '@/store/unreachable'
import { bounceSourceOf } from './bounces/source'
import type { WorkerPart } from './worker/options'
import { Worker } from './worker/worker'

const {
  DATABASE_URL,
  RAPPEL_SMTP_PORT = '4172',
  RAPPEL_SMTP_URL,
  RAPPEL_BASE_URL = 'http://127.0.0.1:4170',
  RAPPEL_APART_MB,
  RAPPEL_HOME = '.rappel',
  RAPPEL_POST_ROOM_PORT = '4171',
  RAPPEL_BOUNCES,
} = process.env
if (!DATABASE_URL) throw new Error('DATABASE_URL is not set: the worker does not know which database to work on.')

/** Posts to the post room of this machine's own home show its token. */
function headersFor(url: string): Record<string, string> {
  if (!url.startsWith(`http://127.0.0.1:${RAPPEL_POST_ROOM_PORT}/`)) return {}
  try {
    return { authorization: `Bearer ${readFileSync(join(RAPPEL_HOME, 'post-room', 'token'), 'utf8').trim()}` }
  } catch {
    return {} // it is another home's, or none
  }
}

const part = process.env.RAPPEL_WORKER_PART as WorkerPart | undefined
const log = pino({ level: process.env.LOG_LEVEL ?? 'warn' }, pino.destination(2))
const worker = new Worker({
  databaseUrl: DATABASE_URL,
  smtpUrl: RAPPEL_SMTP_URL ?? `smtp://127.0.0.1:${RAPPEL_SMTP_PORT}`,
  isSmtpFixed: RAPPEL_SMTP_URL !== undefined,
  baseUrl: RAPPEL_BASE_URL.replace(/\/$/, ''),
  log,
  home: RAPPEL_HOME,
  onHalt: () => process.exit(1), // whoever keeps the installation up starts it again
  headersFor,
  ...(RAPPEL_BOUNCES ? { bounces: bounceSourceOf(RAPPEL_BOUNCES) } : {}),
  ...(part ? { parts: [part] } : {}),
  ...(RAPPEL_APART_MB ? { apartMemory: Number(RAPPEL_APART_MB) } : {}),
})
const stopTracing = await startTracing(part ? `worker ${part}` : 'worker')
await worker.start().catch((error: unknown) => endUnreachable(error, DATABASE_URL))
onStop(async () => {
  await worker.stop()
  await stopTracing()
})
process.send?.('ready')
