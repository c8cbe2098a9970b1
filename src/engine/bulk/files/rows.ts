import type { Raw } from '@/core/bulk/cell'
import { Refused } from '@/store/problems'

/** A row of a file: its number as a spreadsheet counts (lines of JSON from 1), and its cells by the order of the headings. */
export interface FileRow {
  readonly row: number
  readonly cells: readonly Raw[]
  /** What is wrong with the row by itself, as a sentence. */
  readonly fault?: string
}

/** A file of rows, opened: its headings, what was recognised, and its rows from the first on, as often as they are asked for. */
export interface FileRows {
  readonly kind: 'csv' | 'xlsx' | 'jsonl'
  readonly headings: readonly string[]
  /** What was recognised, in words: "UTF-8, with commas between". */
  readonly recognised: string
  /** The rows; `done` is told how much of the file is read, from 0 to 1. */
  readonly rows: (done?: (share: number) => void) => AsyncGenerator<FileRow>
}

/** A file that cannot be read, as a sentence that says what is wrong with it and where. */
export class Unreadable extends Refused {
  constructor(message: string) {
    super('invalid', message)
  }
}

export const MOST_COLUMNS = 1_000

/** The most characters that one row may have. */
export const LONGEST_ROW = 3_000_000

const LONGEST_SHOWN = 80

/** A cell as people are shown it. */
export const shownCell = (cell: Raw | undefined): string =>
  typeof cell === 'object' && cell ? cell.wall.toISOString().slice(0, 16).replace('T', ' ') : String(cell ?? '').slice(0, LONGEST_SHOWN)
