/** A cell of a grid: the row of all that are found, and the column. */
export interface At {
  readonly row: number
  readonly column: number
}

/** Cells from one to another, in rows and columns. */
export interface Range {
  readonly rows: readonly [first: number, last: number]
  readonly columns: readonly [first: number, last: number]
}

/** The cells between two, both included. */
export const rangeOf = (a: At, b: At): Range => ({
  rows: [Math.min(a.row, b.row), Math.max(a.row, b.row)],
  columns: [Math.min(a.column, b.column), Math.max(a.column, b.column)],
})

/** Whether a cell is among those of a range. */
export const isWithin = ({ rows, columns }: Range, row: number, column: number): boolean => row >= rows[0] && row <= rows[1] && column >= columns[0] && column <= columns[1]

/** How many cells a range has. */
export const cellsIn = ({ rows, columns }: Range): number => (rows[1] - rows[0] + 1) * (columns[1] - columns[0] + 1)
