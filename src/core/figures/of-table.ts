import type { Figure } from '../document/figure'
import type { TableDef } from '../values/tables'

/** The figures that are worked out over a table's records. */
export const figuresOf = (table: TableDef | undefined): readonly Figure[] => (table?.figures ?? []) as readonly Figure[] // the schema is read with whole figures

/** One of them by its name, if there is one. */
export const figureOf = (table: TableDef | undefined, name: string): Figure | undefined => figuresOf(table).find((f) => f.name === name)
