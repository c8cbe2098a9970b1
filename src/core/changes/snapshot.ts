import { must } from '../must'
/** A PostgreSQL snapshot: which transactions had committed when it was taken. */
export interface Snapshot {
  readonly xmin: bigint
  readonly xmax: bigint
  readonly running: ReadonlySet<bigint>
}

/**
 * Reads a `pg_snapshot` written `xmin:xmax:xip,xip`.
 * Source: PostgreSQL documentation, section 9.27.8, "Transaction ID and Snapshot Information Functions".
 * @throws Error when the text is not a snapshot
 */
export function parseSnapshot(text: string): Snapshot {
  const parts = /^(\d+):(\d+):([\d,]*)$/.exec(text)
  if (!parts) throw new Error(`${JSON.stringify(text)} is not a pg_snapshot.`)
  return { xmin: BigInt(must(parts[1])), xmax: BigInt(must(parts[2])), running: new Set(must(parts[3]).split(',').filter(Boolean).map(BigInt)) }
}

/** Whether a transaction that committed had done so before the snapshot was taken: `pg_visible_in_snapshot`. */
export function isVisible(transaction: bigint, snapshot: Snapshot): boolean {
  if (transaction < snapshot.xmin) return true
  return transaction < snapshot.xmax && !snapshot.running.has(transaction)
}

/** Whether a committed transaction falls into a stretch between two snapshots; an open stretch has no end. */
export function fallsInto(transaction: string, from: Snapshot, to: Snapshot | null): boolean {
  const id = BigInt(transaction)
  return !isVisible(id, from) && (to === null || isVisible(id, to))
}
