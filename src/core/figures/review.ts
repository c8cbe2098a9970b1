import type { Figure, TableFigure } from '../document/figure'
import { isComputed, measureOf } from '../document/figure'
import type { FieldDef, Schema, TableDef } from '../values/tables'
import { allFigures } from './computed'
import { figureField } from './groups'
import type { FigureProblem, Report } from './problem'
import { reviewComputed } from './review-computed'
import { reviewThresholds } from './review-thresholds'
import { readShift } from './window'

const isNumeric = (field: FieldDef) => field.type === 'number' || field.type === 'money'
const isDated = (field: FieldDef) => field.type === 'date' || field.type === 'date-time'

/** Types whose values are few enough to be groups, and mean something as such. */
const GROUPS = ['text', 'choice', 'yes/no', 'person', 'link', 'email']

const LONGEST_WINDOW = 3_660

/** What is wrong with a figure apart from its conditions, which are reviewed as those of a list are. */
export function reviewFigure(figure: Figure, schema: Schema): FigureProblem[] {
  const problems: FigureProblem[] = []
  const error: Report = (code, path, message) => problems.push({ code, path, message })
  const all = new Map(allFigures(schema)).set(figure.name, figure)
  if (isComputed(figure)) reviewComputed(figure, schema, all, error)
  else if (!reviewTable(figure, schema, error)) return problems
  reviewThresholds(figure, schema, all, error)
  return problems
}

/** Reviews what is worked out over records; whether there is a table at all. */
function reviewTable(figure: TableFigure, schema: Schema, error: Report): boolean {
  const table = schema.get(figure.table)
  if (!table || table.name === 'person') {
    error(
      'unknown table',
      '/table',
      `There is no table ${JSON.stringify(figure.table)} to work a figure out from. There are ${[...schema.keys()].filter((n) => n !== 'person').join(', ')}.`,
    )
    return false
  }
  reviewMeasure(figure, table, schema, error)
  reviewGroups(figure, table, schema, error)
  reviewWindow(figure, table, schema, error)
  return true
}

/** A field of the records themselves. */
function ownField(table: TableDef, schema: Schema, path: string): FieldDef | { problem: string } {
  const found = figureField(table, schema, path)
  if ('problem' in found) return found
  return found.link ? { problem: `${path} is a field of what ${found.link.label.toLowerCase()} leads to; here one of ${table.label}’s own fields is wanted.` } : found.field
}

function reviewMeasure({ of }: TableFigure, table: TableDef, schema: Schema, error: Report): void {
  const { kind, field: name } = measureOf(of)
  if (name === null) return
  const field = ownField(table, schema, name)
  if ('problem' in field) return error('unknown field', `/of/${kind}`, `There is nothing to take the ${kind} of. ${field.problem}`)
  if (kind === 'distinct')
    return field.type === 'file' || field.type === 'long text'
      ? error('not countable', `/of/${kind}`, `${field.label} is a ${field.type} field; different ones of those are not counted.`)
      : undefined
  if (isNumeric(field)) return
  const instead = isDated(field)
    ? `A date is no number. Count the records whose ${field.label.toLowerCase()} is far back (where: ${name} before so many days ago), or use a timetable on the date.`
    : `Count the records with such a ${field.label.toLowerCase()} instead (of: { "count": true }, with a condition), or the different ones (of: { "distinct": ${JSON.stringify(name)} }).`
  error('not a number', `/of/${kind}`, `${field.label} is a ${field.type} field, and only numbers and money have a ${kind}. ${instead}`)
}

function reviewGroups({ by }: TableFigure, table: TableDef, schema: Schema, error: Report): void {
  if (by === undefined) return
  const name = typeof by === 'string' ? by : by.field
  const found = figureField(table, schema, name)
  if ('problem' in found) return error('unknown field', typeof by === 'string' ? '/by' : '/by/field', `There is nothing to group by. ${found.problem}`)
  const { field } = found
  if (field.name === 'id') return error('no groups', '/by', 'Each record would be a group of its own. Group by a choice, a text, a yes/no, a person or a link.')
  if (typeof by === 'object') {
    if (!isDated(field)) error('no date', '/by/field', `${field.label} is a ${field.type} field; only dates are grouped by ${by.each}.`)
  } else if (isDated(field))
    error(
      'no groups',
      '/by',
      `Each moment would be a group of its own. Group ${field.label.toLowerCase()} by day, week, month or quarter: { "field": ${JSON.stringify(name)}, "each": "month" }.`,
    )
  else if (!GROUPS.includes(field.type))
    error('no groups', '/by', `${field.label} is a ${field.type} field, whose values are no groups. Group by a choice, a text, a yes/no, a person or a link.`)
}

function reviewWindow({ within }: TableFigure, table: TableDef, schema: Schema, error: Report): void {
  if (!within) return
  const field = ownField(table, schema, within.field)
  if ('problem' in field) error('unknown field', '/within/field', field.problem)
  else if (!isDated(field)) error('no date', '/within/field', `${field.label} is a ${field.type} field; a window needs a date or a date-time.`)
  if (typeof within.window === 'object' && (within.window.last < 1 || within.window.last > LONGEST_WINDOW))
    error('no window', '/within/window', `A window of days has 1 to ${LONGEST_WINDOW} of them.`)
  if (within.shift !== undefined && !readShift(within.shift))
    error('no shift', '/within/shift', `${JSON.stringify(within.shift)} is no length of time in years, months, weeks and days. A year is P1Y, four weeks are P4W (ISO 8601).`)
}
