import type { Condition } from './condition'

/** A stretch of days that moves with the calendar of the organisation's zone. */
export type Window = 'today' | 'this week' | 'this month' | 'this quarter' | 'this year' | { last: number }

export const CALENDAR_WINDOWS = ['today', 'this week', 'this month', 'this quarter', 'this year'] as const

export const PERIODS = ['day', 'week', 'month', 'quarter'] as const
export type Period = (typeof PERIODS)[number]

export const THRESHOLD_SIDES = ['above', 'at least', 'below', 'at most'] as const
export type ThresholdSide = (typeof THRESHOLD_SIDES)[number]

/** A line that a figure may cross; it counts again once the figure is back past `rearm` (without it: past the line itself). */
export interface Threshold {
  name: string
  when: ThresholdSide
  /** A number, or the value of another figure. */
  value: number | { figure: string }
  rearm?: number
}

/** What is worked out over the records of a figure. */
export type Measure = { count: true } | { sum: string } | { average: string } | { minimum: string } | { maximum: string } | { distinct: string }

/** What figures are grouped by: a field's values, or the day, week, month or quarter that a date falls in. */
export type GroupBy = string | { field: string; each: Period }

/** Only records whose date falls into a window; `shift` moves it back (ISO 8601 duration in years, months, weeks and days). */
export interface Within {
  field: string
  window: Window
  shift?: string
}

/** What every figure has. */
interface Named {
  rappel: 'figure/1'
  name: string
  label?: string
  note?: string
  thresholds?: Threshold[]
}

/** A number worked out over records, per group if asked. */
export interface TableFigure extends Named {
  table: string
  of: Measure
  where?: Condition
  by?: GroupBy
  within?: Within
}

export const UNITS = ['number', 'money', 'percent'] as const
export type Unit = (typeof UNITS)[number]

/** A number worked out by a formula (FEEL, OMG DMN 1.5) from other figures by their names, group by group. */
export interface ComputedFigure extends Named {
  formula: string
  unit?: Unit
}

/** A figure as it is written, saved and exchanged: `figure/1`. */
export type Figure = TableFigure | ComputedFigure

export const isComputed = (figure: Figure): figure is ComputedFigure => 'formula' in figure

export const MEASURES = ['count', 'sum', 'average', 'minimum', 'maximum', 'distinct'] as const
export type MeasureKind = (typeof MEASURES)[number]

/** How a figure measures, and the field that it measures, where it is not counting records. */
export function measureOf(of: Measure): { kind: MeasureKind; field: string | null } {
  const kind = MEASURES.find((m) => m in of) ?? 'count'
  const [field] = Object.values(of)
  return { kind, field: typeof field === 'string' ? field : null }
}

/** The measure of a kind over a field; counting records needs none. */
export function measured(kind: MeasureKind, field: string): Measure {
  switch (kind) {
    case 'count':
      return { count: true }
    case 'sum':
      return { sum: field }
    case 'average':
      return { average: field }
    case 'minimum':
      return { minimum: field }
    case 'maximum':
      return { maximum: field }
    case 'distinct':
      return { distinct: field }
  }
}
