import { readFile, rename, writeFile } from 'node:fs/promises'
import { join } from 'node:path'
import { type Found, isPutBack, isSameLife, type Seen, seenOf } from '@/core/changes/put-back'
import { membersOf } from '@/core/must'

/** Milliseconds of which what was committed may be lost when a server that follows takes over before it has all. */
const MOST_LOST_MS = 60_000

/** How often what is remembered is kept in the home. */
const KEEP_EVERY_MS = 60_000

const FILE = 'seen.json'

/**
 * What a worker has seen of its database, in memory and in its home, by which it notices that this was put back to an earlier state. What it saw within the last minute does not count: so much may be
 * lost when another server takes over.
 */
export class Remembered {
  /** What was seen lately, the oldest first, each with when by the machine's monotonic clock. */
  private lately: { readonly at: number; readonly seen: Seen }[] = []
  private keptAt = Number.NEGATIVE_INFINITY

  private constructor(
    private readonly home: string | undefined,
    private readonly mostLost: number,
    /** The latest of what counts; null while nothing does. */
    private counts: Seen | null,
  ) {}

  /** What the home remembers; nothing where it keeps nothing that can be read. */
  static async open(home: string | undefined, mostLost: number = MOST_LOST_MS): Promise<Remembered> {
    const kept =
      home === undefined
        ? null
        : await readFile(join(home, FILE), 'utf8')
            .then(read)
            .catch(() => null)
    return new Remembered(home, mostLost, kept)
  }

  get seen(): Seen | null {
    return this.counts
  }

  /** How a database stands to what was seen of it; `asleep`: it fell asleep meanwhile, as others found. */
  compare(found: Found): 'as it was' | 'put back' | 'asleep' {
    const last = this.lately.at(-1)?.seen
    if (this.counts && isPutBack(found, this.counts)) return 'put back'
    return last && !isSameLife(found, last) ? 'asleep' : 'as it was'
  }

  /** Remembers how a database was found. */
  async note(found: Found): Promise<void> {
    this.lately.push({ at: performance.now(), seen: seenOf(found) })
    const since = performance.now() - this.mostLost
    while (this.lately[0] && this.lately[0].at <= since) {
      this.counts = this.lately[0].seen
      if (this.lately.length === 1) break
      this.lately.shift()
    }
    await this.keep()
  }

  /** Keeps it in the home, now and then; where that cannot be written, it is remembered as long as the process lives. */
  private async keep(): Promise<void> {
    if (this.home === undefined || !this.counts || performance.now() - this.keptAt < KEEP_EVERY_MS) return
    this.keptAt = performance.now()
    const path = join(this.home, FILE)
    const written = `${path}.${process.pid}`
    await writeFile(written, JSON.stringify(this.counts))
      .then(() => rename(written, path))
      .catch(() => undefined)
  }
}

function read(text: string): Seen | null {
  const { is, next, life } = membersOf(JSON.parse(text))
  if (typeof is !== 'string' || typeof next !== 'string' || !/^\d+$/.test(next)) return null
  return { is, next, life: typeof life === 'string' ? life : null }
}
