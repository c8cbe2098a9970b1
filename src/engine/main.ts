import pino from 'pino'
import { onStop } from '@/process'
import { Worker, type WorkerPart } from './worker'

const {
  DATABASE_URL,
  RAPPEL_SMTP_PORT = '4172',
  RAPPEL_SMTP_URL = `smtp://127.0.0.1:${RAPPEL_SMTP_PORT}`,
  RAPPEL_BASE_URL = 'http://127.0.0.1:4170',
  RAPPEL_APART_MB,
} = process.env
if (!DATABASE_URL) throw new Error('DATABASE_URL is not set: the worker does not know which database to work on.')

const part = process.env.RAPPEL_WORKER_PART as WorkerPart | undefined
const log = pino({ level: process.env.LOG_LEVEL ?? 'warn' }, pino.destination(2))
const worker = new Worker({
  databaseUrl: DATABASE_URL,
  smtpUrl: RAPPEL_SMTP_URL,
  baseUrl: RAPPEL_BASE_URL.replace(/\/$/, ''),
  log,
  ...(part ? { parts: [part] } : {}),
  ...(RAPPEL_APART_MB ? { apartMemory: Number(RAPPEL_APART_MB) } : {}),
})
await worker.start()
onStop(() => worker.stop())
process.send?.('ready')
