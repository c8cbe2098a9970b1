import { setPriority } from 'node:os'
import { createPool } from '@/store/database'
import { Replica } from '@/store/replica'
import { type Answered, type Asked, packed } from './messages'
import { TASKS } from './tasks'

/** The process in which what people wrote is evaluated: it holds nobody up, and may be ended at any moment without anything being lost. */

const { DATABASE_URL, RAPPEL_READ_DATABASE_URL, RAPPEL_BASE_URL = 'http://127.0.0.1:4170' } = process.env
if (!DATABASE_URL) throw new Error('DATABASE_URL is not set: there is no database to look things up in.')

const CONNECTIONS = 4

/** How long one task may wait for a table that somebody holds: the others are not to wait behind it. */
const LOCKS_WITHIN = '10s'

/** Whoever asked goes first, and everything else on the machine (nice, POSIX). */
const NICE = 10

setPriority(NICE)
const pool = createPool(DATABASE_URL, { max: CONNECTIONS, name: 'rappel apart', locksWithin: LOCKS_WITHIN })
const replica = new Replica(pool, RAPPEL_READ_DATABASE_URL || null, CONNECTIONS)
const baseUrl = RAPPEL_BASE_URL.replace(/\/$/, '')
const underWay = new Map<number, AbortController>()
const answer = (answered: Answered) => process.send?.(answered)

async function work({ ask, task, input }: Extract<Asked, { ask: number }>): Promise<void> {
  const controller = new AbortController()
  underWay.set(ask, controller)
  const room = { pool, replica, baseUrl, signal: controller.signal, progress: (done: number) => answer({ answer: ask, progress: done }) }
  try {
    answer({ answer: ask, result: await TASKS[task](room, input as never) })
  } catch (error) {
    answer({ answer: ask, error: packed(error) })
  } finally {
    underWay.delete(ask)
  }
}

process.on('message', (asked: Asked) => {
  if ('cancel' in asked) underWay.get(asked.cancel)?.abort()
  else void work(asked)
})
process.on('disconnect', () => process.exit(0))
for (const signal of ['SIGTERM', 'SIGINT'] as const) process.on(signal, () => undefined) // whoever started it ends it
answer({ ready: true })
