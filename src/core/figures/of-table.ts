import type { Figure, Period, Unit } from '../document/figure'
import type { FieldDef, Schema, TableDef } from '../values/tables'

/** What a figure is grouped by: a field's values, or the day, week, month or quarter of a date. */
export interface Grouping {
  readonly field: FieldDef
  readonly each?: Period
}

/** How a figure's values are shown: as numbers, rounded where they were divided, as money, or as percentages. */
export type FigureUnit = Unit | 'rounded'

/** A figure as its table knows it, with what follows from all others. */
export interface KnownFigure {
  readonly name: string
  readonly definition: Figure
  /** Absent where it has no groups. */
  readonly grouping?: Grouping
  /** How its values are shown. */
  readonly unit: FigureUnit
}

/** The figures that are worked out over a table's records, in the end. */
export const figuresOf = (table: TableDef | undefined): readonly KnownFigure[] => (table?.figures ?? []) as readonly KnownFigure[] // the schema is read with known figures

/** One of them by its name, if there is one. */
export const figureOf = (table: TableDef | undefined, name: string): KnownFigure | undefined => figuresOf(table).find((f) => f.name === name)

/** The figures that are grouped by the values of a field, as its table has it in the schema. */
export const figuresGroupedBy = (schema: Schema, field: FieldDef | undefined): readonly KnownFigure[] =>
  [...schema.values()].flatMap((table) => figuresOf(table).filter(({ grouping }) => grouping !== undefined && !grouping.each && grouping.field === field))
