import { type ChildProcess, spawn } from 'node:child_process'
import { argumentsFor } from '@/process'
import { pause } from './chance'

/** A process that is started again a moment after it dies. */
export class Part {
  child: ChildProcess | null = null
  private isOver = false
  kills = 0

  constructor(
    readonly name: string,
    private readonly begin: () => ChildProcess,
  ) {
    this.start()
  }

  private start(): void {
    const child = this.begin()
    this.child = child
    child.once('exit', () => {
      if (!this.isOver) setTimeout(() => this.isOver || this.start(), 300)
    })
  }

  /** Ends it as kill -9 does; whether there was something to end. */
  kill(): boolean {
    const did = this.child?.exitCode === null && this.child.signalCode === null && this.child.kill('SIGKILL')
    if (did) this.kills++
    return did
  }

  async stop(): Promise<void> {
    this.isOver = true
    const { child } = this
    if (!child || child.exitCode !== null || child.signalCode !== null) return
    const ended = new Promise((resolve) => child.once('exit', resolve))
    child.kill('SIGTERM')
    await Promise.race([ended, pause(20_000).then(() => child.kill('SIGKILL'))])
  }
}

/** Starts a program in a process, quiet but for what it says on standard error. */
export function startProgram(args: readonly string[], env: Record<string, string | undefined>): ChildProcess {
  return spawn(process.execPath, [...args], { env: { ...process.env, ...env }, stdio: ['ignore', 'ignore', process.env.SOAK_LOUD ? 'inherit' : 'ignore', 'ipc'] })
}

/** A part of a worker, on its own wire to the database. */
export function workerPart(part: 'changes' | 'mail', env: Record<string, string | undefined>): () => ChildProcess {
  return () => startProgram(argumentsFor('worker'), { ...env, RAPPEL_WORKER_PART: part, LOG_LEVEL: process.env.SOAK_LOUD ? 'warn' : 'silent' })
}
