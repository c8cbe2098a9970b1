import { spawn } from 'node:child_process'
import { join } from 'node:path'
import { ROOT } from './environment.mjs'

const STOP_WITHIN_MS = 15_000

/** Starts and stops the processes of one installation; the last started is the first stopped. */
export class Processes {
  #running = []
  #stopping = false

  constructor(onDeath) {
    this.onDeath = onDeath
  }

  /** Starts a TypeScript program of the project; answers once it says that it is ready. */
  async start(name, file, env) {
    const child = this.#spawn(name, ['--import', 'tsx', join(ROOT, file)], env)
    await new Promise((resolve, reject) => {
      child.once('message', resolve)
      child.once('exit', (code) => reject(new Error(`The ${name} ended with code ${code} before it was ready.`)))
    })
  }

  /** Runs a TypeScript program of the project to its end. */
  async finish(name, file, args, env) {
    const child = this.#spawn(name, ['--import', 'tsx', join(ROOT, file), ...args], env, { brief: true })
    const code = await new Promise((resolve) => child.once('exit', (status, signal) => resolve(status ?? signal)))
    if (code !== 0 && !this.#stopping) throw new Error(`The ${name} ended with ${code}. Its message stands above.`)
  }

  /** Starts the web server; answers once it answers. */
  async startWeb(env, { mode, port }) {
    const child = this.#spawn('web', [join(ROOT, 'node_modules/next/dist/bin/next'), mode, '-p', String(port), '-H', '127.0.0.1'], env)
    let dead = false
    child.once('exit', () => {
      dead = true
    })
    for (let i = 0; i < 600; i++) {
      if (dead) throw new Error('The web server ended before it was ready.')
      if (await answers(port)) return
      await new Promise((resolve) => setTimeout(resolve, 100))
    }
    throw new Error('The web server did not answer within a minute.')
  }

  #spawn(name, args, env, { brief = false } = {}) {
    const quiet = name === 'web' ? ['ignore', 'ignore', 'inherit', 'ipc'] : ['ignore', 'inherit', 'inherit', 'ipc']
    const child = spawn(process.execPath, args, { cwd: ROOT, env, stdio: quiet, detached: true })
    this.#running.push({ name, child })
    child.once('exit', (code, signal) => {
      if (!this.#stopping && !brief) this.onDeath?.(name, code ?? signal)
    })
    return child
  }

  /** Stops everything that runs, in reverse order, the slow ones by force. */
  async stop() {
    this.#stopping = true
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

async function answers(port) {
  try {
    await fetch(`http://127.0.0.1:${port}/api/v1/health`, { signal: AbortSignal.timeout(2_000) })
    return true
  } catch {
    return false
  }
}
