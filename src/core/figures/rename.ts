import { type Clause, mappedClauses, type Operand } from '../document/condition'
import { type Figure, isComputed, measured, measureOf } from '../document/figure'
import { isPathToIt, newLiteral, type Renaming, renamedPath } from '../paths/rename'

/** A figure that speaks of a field, its own or one that a link leads to, by its new name; the same where it does not. */
export function renamedInFigure(figure: Figure, renaming: Renaming): Figure {
  if (isComputed(figure)) return figure
  const table = renaming.schema.get(figure.table)
  if (!table) return figure
  const name = (path: string) => renamedPath(path, table, NO_ROOTS, renaming)
  const { of, where, by, within } = figure
  const { kind, field } = measureOf(of)
  const clause = (given: Clause): Clause => {
    const { value } = given
    const isField = typeof value === 'object' && value !== null && 'field' in value
    const means = (right: Operand) => (isField ? { field: name(value.field) } : newLiteral(right, isPathToIt(given.field, table, NO_ROOTS, renaming), renaming))
    return { ...given, field: name(given.field), ...(value === undefined ? {} : { value: means(value) }) }
  }
  return {
    ...figure,
    of: field === null ? of : measured(kind, name(field)),
    ...(where ? { where: mappedClauses(where, clause) } : {}),
    ...(by === undefined ? {} : { by: typeof by === 'string' ? name(by) : { ...by, field: name(by.field) } }),
    ...(within ? { within: { ...within, field: name(within.field) } } : {}),
  }
}

const NO_ROOTS = new Map()
