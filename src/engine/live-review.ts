import { setImmediate as turn } from 'node:timers/promises'
import type { Pool } from 'pg'
import type { Workflow } from '@/core/document/document'
import { faultOf } from '@/core/must'
import { REACHES_NOBODY, reviewEmpty } from '@/core/review/considerations'
import { type ReviewSetting, review } from '@/core/review/review'
import { noteBroken, sumOfNamed } from '@/store/broken'
import { transaction } from '@/store/database'
import { readGeneration } from '@/store/generation'
import { listLive } from '@/store/workflows'
import type { Clock } from './clock'
import { readReviewSetting } from './program'
import type { Tell } from './tell'

/**
 * Goes through what is live again whenever anything changed that workflows are made of: what they name may have been taken away or become another, by whoever edits it, by files that were applied, or by
 * the owner of an attached table. What cannot do what it says is kept, for Today to say so; without that it would only never fire, or fail at its next turn.
 */
export class LiveReview {
  private seen: number | null = null
  private sum: string | null = null

  constructor(
    private readonly pool: Pool,
    private readonly clock: Clock,
    private readonly tell: Tell,
  ) {}

  /** Goes through all of them where anything changed since; how many are broken, null where nothing was to be done. */
  async look(): Promise<number | null> {
    const generation = await readGeneration(this.pool)
    if (generation === this.seen) return null
    const sum = await sumOfNamed(this.pool)
    if (sum === this.sum) {
      this.seen = generation
      return null
    }
    const setting = await readReviewSetting(this.pool)
    const broken = new Map<number, readonly string[]>()
    const live = await listLive(this.pool)
    for (const { id, live: document } of live) {
      const problems = problemsOf(document, setting)
      if (problems.length) broken.set(id, problems)
      await turn()
    }
    for (const id of await transaction(this.pool, (db) => noteBroken(db, broken, this.clock()))) {
      const { name } = live.find((row) => row.id === id) ?? {}
      this.tell('a live workflow cannot do what it says any more', { workflow: name, problems: broken.get(id) })
    }
    this.seen = generation
    this.sum = sum
    return broken.size
  }
}

/** What keeps a workflow from doing what it says, in sentences, each once. */
function problemsOf(document: Workflow, setting: ReviewSetting): string[] {
  try {
    const findings = [...review(document, setting), ...reviewEmpty(document, setting)]
    return [...new Set(findings.flatMap(({ level, code, message }) => (level === 'error' || code === REACHES_NOBODY ? [message] : [])))]
  } catch (error) {
    return [`It could not be gone through: ${faultOf(error)}`]
  }
}
