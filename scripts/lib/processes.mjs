import { spawn } from 'node:child_process'
import { mkdirSync, renameSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { ROOT, webAddress } from './environment.mjs'
import { argumentsFor } from './programs.mjs'

const STOP_WITHIN_MS = 15_000

/** How long is waited before a part that died is started again; it doubles each time, up to the longest, and begins anew when the part has lived well. */
const FIRST_PAUSE_MS = 1_000
const LONGEST_PAUSE_MS = 30_000
const LIVED_WELL_MS = 60_000

/**
 * Starts and stops the processes of one installation; the last started is the first stopped. One that dies is started again after a pause; the
 * others go on meanwhile. What was restarted is kept in the home, where health is read from.
 */
export class Processes {
  #running = []
  #stopping = false
  #restarts

  /** `home` is where restarts are kept; null keeps them nowhere. */
  constructor(home) {
    this.#restarts = new Restarts(home)
  }

  /** Starts a TypeScript program of the project; answers once it says that it is ready. */
  async start(name, file, env) {
    const part = this.#keep(name, argumentsFor(file, env.RAPPEL_PROGRAMS), env)
    await new Promise((resolve, reject) => {
      part.child.once('message', resolve)
      part.child.once('exit', (code, signal) => reject(new Error(`The ${name} ended with ${code ?? signal} before it was ready.`)))
    })
    part.isUp = true
  }

  /** Runs a TypeScript program of the project to its end. */
  async finish(name, file, args, env) {
    const child = this.#spawn(name, [...argumentsFor(file, env.RAPPEL_PROGRAMS), ...args], env)
    this.#running.push({ child })
    const code = await new Promise((resolve) => child.once('exit', (status, signal) => resolve(status ?? signal)))
    if (code !== 0 && !this.#stopping) throw new Error(`The ${name} ended with ${code}. Its message stands above.`)
  }

  /** Starts the web server; answers once it answers. */
  async startWeb(env, { mode, port }) {
    const part = this.#keep('web', [join(ROOT, 'scripts/lib/web-server.mjs'), '--port', String(port), ...(mode === 'dev' ? ['--dev'] : [])], env)
    let dead = false
    part.child.once('exit', () => {
      dead = true
    })
    for (let i = 0; i < 600; i++) {
      if (dead) throw new Error('The web server ended before it was ready.')
      if (await answers(port, env)) {
        part.isUp = true
        return
      }
      await new Promise((resolve) => setTimeout(resolve, 100))
    }
    throw new Error('The web server did not answer within a minute.')
  }

  #spawn(name, args, env) {
    const quiet = name === 'web' ? ['ignore', 'ignore', 'inherit', 'ipc'] : ['ignore', 'inherit', 'inherit', 'ipc']
    return spawn(process.execPath, args, { cwd: ROOT, env, stdio: quiet, detached: true })
  }

  /** Starts a part of the installation and starts it again whenever it dies, once it was up. */
  #keep(name, args, env) {
    const part = { name, child: null, isUp: false, pause: FIRST_PAUSE_MS }
    this.#running.push(part)
    const begin = () => {
      const since = performance.now()
      const child = this.#spawn(name, args, env)
      part.child = child
      child.once('exit', (code, signal) => {
        if (this.#stopping || !part.isUp) return
        if (performance.now() - since > LIVED_WELL_MS) part.pause = FIRST_PAUSE_MS
        this.#restarts.note(name, code ?? signal, part.pause)
        part.timer = setTimeout(begin, part.pause)
        part.pause = Math.min(part.pause * 2, LONGEST_PAUSE_MS)
      })
    }
    begin()
    return part
  }

  /** Stops everything that runs, in reverse order, the slow ones by force. */
  async stop() {
    this.#stopping = true
    for (const { timer } of this.#running) clearTimeout(timer)
    for (const { child } of [...this.#running].reverse()) {
      if (child.exitCode !== null || child.signalCode !== null) continue
      const ended = new Promise((resolve) => child.once('exit', resolve))
      child.kill('SIGTERM')
      const timer = setTimeout(() => child.kill('SIGKILL'), STOP_WITHIN_MS)
      await ended
      clearTimeout(timer)
    }
    this.#running = []
  }
}

async function answers(port, env) {
  const { reached } = webAddress(env)
  try {
    await fetch(`http://${reached.includes(':') ? `[${reached}]` : reached}:${port}/api/v1/health`, { signal: AbortSignal.timeout(2_000) })
    return true
  } catch {
    return false
  }
}

/** What died and was started again, in `restarts.json` of the home and on standard error, a line of JSON each. */
class Restarts {
  #file
  #parts

  constructor(home) {
    this.#file = home && join(home, 'restarts.json')
    if (home) mkdirSync(home, { recursive: true })
    this.#parts = {}
    this.#write()
  }

  note(name, how, pause) {
    const { restarts = 0 } = this.#parts[name] ?? {}
    this.#parts[name] = { restarts: restarts + 1, at: new Date().toISOString(), how: String(how) }
    process.stderr.write(`${JSON.stringify({ level: 'error', time: Date.now(), part: name, ended: how, again: `${pause / 1_000} s`, msg: 'a part died and is started again' })}\n`)
    this.#write()
  }

  #write() {
    if (!this.#file) return
    writeFileSync(`${this.#file}.new`, JSON.stringify(this.#parts))
    renameSync(`${this.#file}.new`, this.#file)
  }
}
