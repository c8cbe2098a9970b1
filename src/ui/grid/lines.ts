import type { RecordGroup } from '@/store/sums'

/** How high a line is, in pixels. */
export const ROW_HEIGHT = 32

/** A line of the sheet: a group's head, or a record by its place among all that are found. */
export type Line = { readonly group: RecordGroup; readonly row: null } | { readonly group: null; readonly row: number }

/** How groups and records stand under one another: each group has a line of its own before its records. */
export class Lines {
  /** The line on which each group's head stands. */
  private readonly heads: readonly number[]

  constructor(
    private readonly groups: readonly RecordGroup[] | null,
    private readonly rows: number,
  ) {
    let line = 0
    this.heads = (groups ?? []).map(({ count }) => {
      const head = line
      line += count + 1
      return head
    })
  }

  get count(): number {
    return this.rows + this.heads.length
  }

  /** What stands on a line. */
  at(line: number): Line {
    const before = this.headsUntil(line)
    const group = this.heads[before - 1] === line ? this.groups?.[before - 1] : undefined
    return group ? { group, row: null } : { group: null, row: line - before }
  }

  /** The line of a record. */
  lineOf(row: number): number {
    let before = 0
    for (const head of this.heads) {
      if (head - before > row) break
      before++
    }
    return row + before
  }

  /** How many heads stand on a line or above it. */
  private headsUntil(line: number): number {
    let [low, high] = [0, this.heads.length]
    while (low < high) {
      const middle = (low + high) >> 1
      if ((this.heads[middle] ?? 0) <= line) low = middle + 1
      else high = middle
    }
    return low
  }
}
