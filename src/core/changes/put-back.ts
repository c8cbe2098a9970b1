/** A database as it stands. */
export interface Found {
  /** Which server and database it is. */
  readonly is: string
  /** The number that its next transaction will have. */
  readonly next: bigint
  /** Names of the lives that it began since its first, the latest last: one each time it fell asleep. */
  readonly lives: readonly string[]
}

/** A database as it was seen, as it is kept in JSON. */
export interface Seen {
  readonly is: string
  readonly next: string
  /** The life that it was in; null in its first. */
  readonly life: string | null
}

/** What is worth remembering of a database. */
export const seenOf = ({ is, next, lives }: Found): Seen => ({ is, next: String(next), life: lives.at(-1) ?? null })

/** Whether a database lacks what was in it when it was seen: it was put back to an earlier state, by a copy of its disk or by recovery to a point in time. */
export function isPutBack(found: Found, seen: Seen): boolean {
  if (seen.is !== found.is) return false
  if (seen.life !== null && !found.lives.includes(seen.life)) return true
  return isSameLife(found, seen) && found.next < BigInt(seen.next)
}

/** Whether a database has not fallen asleep since it was seen. */
export const isSameLife = (found: Found, seen: Seen): boolean => (found.lives.at(-1) ?? null) === seen.life
