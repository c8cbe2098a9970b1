import { type Figure, isComputed, type TableFigure } from '@/core/document/figure'

/** A figure as it is kept. */
export interface FigureRow {
  readonly id: number
  readonly name: string
  readonly definition: Figure
  readonly version: number
  readonly moved_at: Date
  /** Why it cannot be kept up any more; null where it can. */
  readonly fault: string | null
}

/** A figure as it is moved: what is in it (a pg_snapshot, as text), and the days that its window took in. */
export interface KeptFigure extends FigureRow {
  readonly seen: string
  readonly from: string | null
  readonly to: string | null
}

/** One that is worked out over records. */
export interface KeptTableFigure extends KeptFigure {
  readonly definition: TableFigure
}

/** Whether a figure is worked out over records. */
export const isOverRecords = (kept: KeptFigure): kept is KeptTableFigure => !isComputed(kept.definition)
