import { type Figure, isComputed, measureOf, type TableFigure } from '../document/figure'
import { checkPath } from '../paths/path'
import { type FieldDef, type Schema, type TableDef, targetOf } from '../values/tables'
import { namesIn } from './computed'
import type { FigureUnit, Grouping, KnownFigure } from './of-table'

/** A field that a figure reads: of its record, or of what the record links to. */
export interface FigureField {
  readonly field: FieldDef
  /** The link that leads to it, where it is not the record's own. */
  readonly link?: FieldDef
}

/** Finds a field that a figure names, its own or one link away; gives the sentence that says what is wrong where there is none. */
export function figureField(table: TableDef, schema: Schema, path: string): FigureField | { problem: string } {
  const checked = checkPath(schema, table, path)
  if ('problem' in checked) return checked
  const [link, further] = checked.links
  if (further) return { problem: `${path} is ${checked.links.length} links away; a figure looks one link far.` }
  return { field: checked.field, ...(link ? { link } : {}) }
}

/** What a figure over records is grouped by; undefined where it has no groups, or no such field. */
export function ownGrouping({ by, table }: Pick<TableFigure, 'by' | 'table'>, schema: Schema): Grouping | undefined {
  const def = schema.get(table)
  if (by === undefined || !def) return undefined
  const found = figureField(def, schema, typeof by === 'string' ? by : by.field)
  return 'problem' in found ? undefined : { field: found.field, ...(typeof by === 'string' ? {} : { each: by.each }) }
}

/** What any figure is grouped by: a computed one by what the first of its parts is that has groups. */
export function groupingOf(figure: Figure, schema: Schema, all: ReadonlyMap<string, Figure>, depth = 0): Grouping | undefined {
  if (!isComputed(figure)) return ownGrouping(figure, schema)
  if (depth > all.size) return undefined
  for (const name of namesIn(figure.formula)) {
    const part = all.get(name)
    const found = part && groupingOf(part, schema, all, depth + 1)
    if (found) return found
  }
  return undefined
}

/** Whether the groups of two figures are of the same kind, so that they can be matched. */
export function sameGroups(a: Grouping, b: Grouping): boolean {
  const [one, other] = [targetOf(a.field), targetOf(b.field)]
  if (a.each !== b.each) return false
  if (one ?? other) return one === other
  return a.each !== undefined || (a.field.type === 'yes/no') === (b.field.type === 'yes/no')
}

/** How a figure's values are shown: as the field that it measures is, or as a computed one says. */
export function unitOf(figure: Figure, schema: Schema): FigureUnit {
  if (isComputed(figure)) return figure.unit === undefined || figure.unit === 'number' ? 'rounded' : figure.unit
  const { kind, field } = measureOf(figure.of)
  const def = schema.get(figure.table)
  if (!def || field === null || kind === 'count' || kind === 'distinct') return 'number'
  const found = figureField(def, schema, field)
  return 'field' in found && found.field.type === 'money' ? 'money' : kind === 'average' ? 'rounded' : 'number'
}

/** A figure with what follows from its table and all other figures. */
export function knownFigure(definition: Figure, schema: Schema, all: ReadonlyMap<string, Figure>): KnownFigure {
  const grouping = groupingOf(definition, schema, all)
  return { name: definition.name, definition, unit: unitOf(definition, schema), ...(grouping ? { grouping } : {}) }
}
