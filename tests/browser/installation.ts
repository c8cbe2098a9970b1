import { spawn } from 'node:child_process'
import { existsSync, mkdirSync, openSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import { join, resolve } from 'node:path'
import { isAlive } from '../support/alive'

export const HOME = resolve(process.env.RAPPEL_TEST_DEMO_HOME ?? '.test-home/demo')
/** The ports that `npm test` chose because they were free; others where a spec is run by itself. */
const {
  RAPPEL_PORT = '4270',
  RAPPEL_POST_ROOM_PORT = '4271',
  RAPPEL_SMTP_PORT = '4272',
  RAPPEL_TEST_DEMO_PG_PORT = '4274',
  RAPPEL_TEST_SPARE_PORTS = '4281 4282 4283 4290',
} = process.env
export const PORT = Number(RAPPEL_PORT)
export const SMTP_PORT = Number(RAPPEL_SMTP_PORT)
export const PG_PORT = Number(RAPPEL_TEST_DEMO_PG_PORT)
export const SPARE_PORTS = RAPPEL_TEST_SPARE_PORTS.split(' ').map(Number)
export const BASE = `http://127.0.0.1:${PORT}`
export const POST_ROOM = `http://127.0.0.1:${RAPPEL_POST_ROOM_PORT}`
const ENVIRONMENT = { RAPPEL_HOME: HOME, RAPPEL_PORT, RAPPEL_POST_ROOM_PORT, RAPPEL_SMTP_PORT, RAPPEL_PG_PORT: RAPPEL_TEST_DEMO_PG_PORT }

const LOG = join(HOME, 'demo.log')
const PID = join(HOME, 'demo.pid')
const READY = 'Rappel is ready at'

const pause = (milliseconds: number) => new Promise((resolve) => setTimeout(resolve, milliseconds))

/** The process that keeps the demo's others. */
export const demoPid = () => Number(readFileSync(PID, 'utf8'))

/** Whether a demo that was started here is up, at the address that it is to have now: the number of its process may be another's by now. */
export async function isDemoUp(): Promise<boolean> {
  if (!existsSync(PID) || !isAlive(demoPid()) || !readFileSync(LOG, 'utf8').includes(`${READY} ${BASE}`)) return false
  return fetch(`${BASE}/api/v1/health`).then(
    () => true,
    () => false,
  )
}

/** Starts an installation as a newcomer does, by one of the scripts, and waits until it says that it is ready; its log and the id of its first process are in its home. */
async function start(home: string, script: string, environment: Readonly<Record<string, string | undefined>>): Promise<void> {
  const env: NodeJS.ProcessEnv = { ...process.env, ...environment, RAPPEL_HOME: home }
  delete env.DATABASE_URL
  delete env.RAPPEL_BASE_URL
  mkdirSync(home, { recursive: true })
  const path = join(home, 'demo.log')
  const log = openSync(path, 'w')
  const [file = '', ...args] = script.split(' ')
  const child = spawn(process.execPath, [file, ...args], { env, stdio: ['ignore', log, log], detached: true })
  child.unref() // it stays up when whoever started it ends
  writeFileSync(join(home, 'demo.pid'), String(child.pid))
  while (!readFileSync(path, 'utf8').includes(READY)) {
    if (!isAlive(child.pid as number)) throw new Error(`${script} ended before it was ready:\n${readFileSync(path, 'utf8')}`)
    await pause(100)
  }
}

/** Stops an installation as Ctrl-C does and waits until it is gone. */
async function stop(home: string): Promise<void> {
  const pid = Number(readFileSync(join(home, 'demo.pid'), 'utf8'))
  if (!isAlive(pid)) return
  process.kill(pid, 'SIGINT')
  for (let i = 0; i < 900 && isAlive(pid); i++) await pause(100)
  if (isAlive(pid)) throw new Error('It did not stop within 90 s.')
}

/** Starts the demo. */
export const startDemo = (...args: string[]): Promise<void> => start(HOME, ['scripts/demo.mjs', ...args].join(' '), ENVIRONMENT)

/** Stops the demo. */
export const stopDemo = (): Promise<void> => stop(HOME)

/** Starts an installation without anything in it, beside the demo: its address, its post room's, and how to stop it. */
export async function startEmpty(): Promise<{ base: string; postRoom: string; stop: () => Promise<void> }> {
  const home = `${HOME}-empty`
  rmSync(home, { recursive: true, force: true })
  const [port, postRoom, smtp, pg] = SPARE_PORTS.map(String)
  await start(home, 'scripts/start.mjs', { RAPPEL_PORT: port, RAPPEL_POST_ROOM_PORT: postRoom, RAPPEL_SMTP_PORT: smtp, RAPPEL_PG_PORT: pg })
  return { base: `http://127.0.0.1:${port}`, postRoom: `http://127.0.0.1:${postRoom}`, stop: () => stop(home) }
}

export const secret = (name: string) => readFileSync(join(HOME, name), 'utf8').trim()

/** Switches the post room's faults, as whoever has its token may; answers the status. */
export async function putFaults(faults: object): Promise<number> {
  const headers = { authorization: `Bearer ${secret('post-room/token')}` }
  return (await fetch(`${POST_ROOM}/faults`, { method: 'PUT', headers, body: JSON.stringify(faults) })).status
}

/** The path of the link in a message's source that leads to a page of the application. */
export function linkIn(source: string, page: 'sign-in' | 'why'): string | null {
  const text = source.replaceAll('=\r\n', '')
  return new RegExp(`${BASE.replaceAll('.', '\\.')}(/${page}/[\\w.%-]+)`).exec(text)?.[1] ?? null
}

/** The subjects of the mail to an address, as the post room has them. */
export async function subjectsTo(address: string): Promise<string[]> {
  const { messages } = (await (await fetch(`${POST_ROOM}/messages?to=${encodeURIComponent(address)}&raw=false`)).json()) as { messages: { subject: string }[] }
  return messages.map((m) => m.subject)
}

/** Calls the API with the installation's own token. */
export async function api(method: string, path: string, body?: unknown): Promise<{ status: number; body: Record<string, never> & { [key: string]: unknown } }> {
  const response = await fetch(BASE + path, {
    method,
    headers: { authorization: `Bearer ${secret('api-token')}`, 'content-type': 'application/json' },
    ...(body === undefined ? {} : { body: typeof body === 'string' ? body : JSON.stringify(body) }),
  })
  const text = await response.text()
  return { status: response.status, body: text ? JSON.parse(text) : {} }
}
