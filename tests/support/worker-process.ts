import { type ChildProcess, spawn } from 'node:child_process'
import { argumentsFor } from '@/process'
import { BASE_URL, type Engine } from './engine'

/** Starts a worker as a process of its own, on an engine's database and post room; settles when it is ready. @throws Error where it ends before */
export function startWorkerProcess(engine: Pick<Engine, 'url' | 'room'>, environment: Readonly<Record<string, string>> = {}): Promise<ChildProcess> {
  const child = spawn(process.execPath, argumentsFor('worker'), {
    env: { ...process.env, DATABASE_URL: engine.url, RAPPEL_SMTP_URL: `smtp://127.0.0.1:${engine.room.smtpPort}`, RAPPEL_BASE_URL: BASE_URL, LOG_LEVEL: 'silent', ...environment },
    stdio: ['ignore', 'inherit', 'inherit', 'ipc'],
  })
  return new Promise((resolve, reject) => {
    child.once('message', () => resolve(child))
    child.once('exit', (code) => reject(new Error(`the worker ended with ${code} before it was ready`)))
  })
}

/** Kills a worker's process as kill -9 does; settles when it is gone. */
export function killed(child: ChildProcess): Promise<void> {
  return new Promise((resolve) => {
    child.once('exit', () => resolve())
    child.kill('SIGKILL')
  })
}
