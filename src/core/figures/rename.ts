import { type Clause, mappedClauses } from '../document/condition'
import { type Figure, isComputed, measured, measureOf } from '../document/figure'
import { newName, type Renaming } from '../paths/rename'

/** A figure that speaks of a field by its new name; the same where it does not. */
export function renamedInFigure(figure: Figure, renaming: Renaming): Figure {
  if (isComputed(figure) || figure.table !== renaming.table) return figure
  const table = renaming.schema.get(figure.table)
  const name = (field: string) => newName(table, field, renaming)
  const { of, where, by, within } = figure
  const { kind, field } = measureOf(of)
  const clause = (given: Clause): Clause => {
    const { value } = given
    const isField = typeof value === 'object' && value !== null && 'field' in value
    return { ...given, field: name(given.field), ...(isField ? { value: { field: name(value.field) } } : {}) }
  }
  return {
    ...figure,
    of: field === null ? of : measured(kind, name(field)),
    ...(where ? { where: mappedClauses(where, clause) } : {}),
    ...(by === undefined ? {} : { by: typeof by === 'string' ? name(by) : { ...by, field: name(by.field) } }),
    ...(within ? { within: { ...within, field: name(within.field) } } : {}),
  }
}
