/** How long delivery is tried before a message fails. */
const GIVE_UP_AFTER_MS = 24 * 3_600_000
const FIRST_DELAY_MS = 30_000
const LONGEST_DELAY_MS = 3_600_000
const JITTER = 0.2

/** When to try again after an attempt (1 for the first): 30 s doubling to 1 h, give or take a fifth so that retries spread. `chance` is from 0 to 1. */
export function retryDelay(attempt: number, chance: number): number {
  const exact = Math.min(FIRST_DELAY_MS * 2 ** (attempt - 1), LONGEST_DELAY_MS)
  return Math.round(exact * (1 - JITTER + 2 * JITTER * chance))
}

/** Whether a message queued at a moment is given up rather than tried again. */
export function givesUp(queuedAt: Date, now: Date): boolean {
  return now.getTime() - queuedAt.getTime() >= GIVE_UP_AFTER_MS
}

/** What a reply code means for the one it is about (RFC 5321 section 4.2.1): 4yz may pass, 5yz will not. */
export function verdict(code: number | undefined): 'refused' | 'deferred' {
  return code !== undefined && code >= 500 && code < 600 ? 'refused' : 'deferred'
}

/** Whether a refusal says that the mailbox is bad for good: enhanced status 5.1.x (RFC 3463 section 3.2). */
export function isHardBounce(reply: string): boolean {
  return /^5\d\d[ -]5\.1\.\d{1,3}\b/.test(reply)
}

/** The same of a report that came back later: a status about the address (5.1.x), or a mailbox that is switched off (5.2.1), by RFC 3463 sections 3.2 and 3.3. */
export function isBadForGood(status: string): boolean {
  return /^5\.1\./.test(status) || status === '5.2.1'
}
