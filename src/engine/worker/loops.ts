import { setTimeout as pause } from 'node:timers/promises'
import type { Logger } from 'pino'

/** How often a loop that rests looks whether it is to go on. */
const TICK_MS = 250

/** How long is waited after a step that failed. */
export const AFTER_ERROR_MS = 500

/** The loops of a worker, which go on as long as it runs. */
export class Loops {
  private readonly all: Promise<void>[] = []

  constructor(
    /** Whether they are to go on. */
    readonly goOn: () => boolean,
    private readonly log: Logger,
  ) {}

  add(...loops: readonly Promise<void>[]): void {
    this.all.push(...loops)
  }

  /** Takes one step after the other until one was the last; after one that failed, which is told, the next comes a while later. */
  async step(fault: string, step: () => Promise<'last' | undefined>): Promise<void> {
    while (this.goOn()) {
      try {
        if ((await step()) === 'last') return
      } catch (error) {
        this.log.warn({ error: String(error) }, fault)
        await pause(AFTER_ERROR_MS)
      }
    }
  }

  /** Rests for so many milliseconds, or until loops are to end. */
  async rest(milliseconds: number): Promise<void> {
    for (const end = performance.now() + milliseconds; performance.now() < end && this.goOn(); ) await pause(TICK_MS)
  }

  /** Waits until all have ended, those among them that one of them began. */
  async ended(): Promise<void> {
    for (let i = 0; i < this.all.length; i++) await this.all[i]
  }
}
