import type { Condition } from './condition'

/** How records of a table are looked at: which, in what order, by what they are gathered, and which fields as columns. */
export interface View {
  readonly where?: Condition
  /** Fields to sort by, `-` before a descending one, with commas between. */
  readonly order?: string
  /** The field that records are gathered by. */
  readonly group?: string
  /** The columns, in order; all fields where absent. */
  readonly columns?: readonly string[]
  /** Widths of columns in pixels, by field. */
  readonly widths?: Readonly<Record<string, number>>
  /** How many of the first columns stay in sight; the first alone where absent. */
  readonly frozen?: number
}
