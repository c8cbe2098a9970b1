/** Something wrong with a figure: where (JSON Pointer), and how to mend it. */
export interface FigureProblem {
  readonly code: string
  readonly path: string
  readonly message: string
}

export type Report = (code: string, path: string, message: string) => void
