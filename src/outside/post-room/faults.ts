/** What the post room does wrong on purpose. */
export interface Faults {
  /** How long it waits before it accepts a message. */
  delayMs?: number
  /** Reply code for a recipient address, or for all (`*`). */
  refuse?: Record<string, number>
  /** How many messages yet it takes in full and then drops the connection without a reply. */
  dropAfterData?: number
  /** Turns every connection away. */
  down?: boolean
}

/** Reads faults from outside; a sentence where they are not faults. */
export function readFaults(input: unknown): Faults | string {
  if (typeof input !== 'object' || input === null || Array.isArray(input)) return 'Faults are an object.'
  const { delayMs, refuse, dropAfterData, down, ...unknown } = input as Faults & Record<string, unknown>
  const extra = Object.keys(unknown)[0]
  if (extra) return `There is no fault ${JSON.stringify(extra)}; there are delayMs, refuse, dropAfterData and down.`
  if (delayMs !== undefined && !(Number.isInteger(delayMs) && delayMs >= 0 && delayMs <= 600_000)) return 'delayMs is a whole number of milliseconds up to 600000.'
  if (dropAfterData !== undefined && !(Number.isInteger(dropAfterData) && dropAfterData >= 0)) return 'dropAfterData is a whole number of messages.'
  if (down !== undefined && typeof down !== 'boolean') return 'down is true or false.'
  if (refuse !== undefined && !(typeof refuse === 'object' && refuse !== null && Object.values(refuse).every((c) => Number.isInteger(c) && c >= 400 && c < 600)))
    return 'refuse gives a reply code from 400 to 599 for each address, or for *.'
  return { delayMs, refuse, dropAfterData, down }
}

const TEXTS: Record<number, string> = {
  450: '4.2.1 mailbox busy, try again later',
  451: '4.3.0 local error in processing',
  452: '4.2.2 mailbox full',
  550: '5.1.1 no such mailbox',
  552: '5.2.2 mailbox over its quota',
  554: '5.7.1 refused by policy',
}

/** The reply text for a refusal code (RFC 5321 section 4.2.3, enhanced status codes of RFC 3463). */
export function refusalText(code: number): string {
  return TEXTS[code] ?? (code < 500 ? '4.0.0 not now' : '5.0.0 no')
}
