import type { Figure, Threshold } from '../document/figure'
import { measureOf } from '../document/figure'
import { must } from '../must'
import { type FieldDef, fieldOf, type Schema, type TableDef } from '../values/tables'
import { readShift } from './window'

/** Something wrong with a figure: where (JSON Pointer), and how to mend it. */
export interface FigureProblem {
  readonly code: string
  readonly path: string
  readonly message: string
}

type Report = (code: string, path: string, message: string) => void

const isNumeric = (field: FieldDef) => field.type === 'number' || field.type === 'money'
const isDated = (field: FieldDef) => field.type === 'date' || field.type === 'date-time'

/** Types whose values are few enough to be groups, and mean something as such. */
const GROUPS = ['text', 'choice', 'yes/no', 'person', 'link', 'email']

const LONGEST_WINDOW = 3_660

/** What is wrong with a figure apart from its conditions, which are reviewed as those of a list are. */
export function reviewFigure(figure: Figure, schema: Schema): FigureProblem[] {
  const problems: FigureProblem[] = []
  const error: Report = (code, path, message) => problems.push({ code, path, message })
  const table = schema.get(figure.table)
  if (!table || table.name === 'person') {
    error(
      'unknown table',
      '/table',
      `There is no table ${JSON.stringify(figure.table)} to work a figure out from. There are ${[...schema.keys()].filter((n) => n !== 'person').join(', ')}.`,
    )
    return problems
  }
  reviewMeasure(figure, table, error)
  reviewGroups(figure, table, error)
  reviewWindow(figure, table, error)
  reviewThresholds(figure.thresholds ?? [], error)
  return problems
}

function reviewMeasure({ of }: Figure, table: TableDef, error: Report): void {
  const { kind, field: name } = measureOf(of)
  if (name === null) return
  const field = fieldOf(table, name)
  if (!field)
    return error(
      'unknown field',
      `/of/${kind}`,
      `${table.label} has no field ${JSON.stringify(name)} to take the ${kind} of. Its fields are ${table.fields.map((f) => f.name).join(', ')}.`,
    )
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

function reviewGroups({ by }: Figure, table: TableDef, error: Report): void {
  if (by === undefined) return
  const name = typeof by === 'string' ? by : by.field
  const field = fieldOf(table, name)
  if (!field) return error('unknown field', '/by', `${table.label} has no field ${JSON.stringify(name)} to group by. Its fields are ${table.fields.map((f) => f.name).join(', ')}.`)
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

function reviewWindow({ within }: Figure, table: TableDef, error: Report): void {
  if (!within) return
  const field = fieldOf(table, within.field)
  if (!field) error('unknown field', '/within/field', `${table.label} has no field ${JSON.stringify(within.field)}.`)
  else if (!isDated(field)) error('no date', '/within/field', `${field.label} is a ${field.type} field; a window needs a date or a date-time.`)
  if (typeof within.window === 'object' && (within.window.last < 1 || within.window.last > LONGEST_WINDOW))
    error('no window', '/within/window', `A window of days has 1 to ${LONGEST_WINDOW} of them.`)
  if (within.shift !== undefined && !readShift(within.shift))
    error('no shift', '/within/shift', `${JSON.stringify(within.shift)} is no length of time in years, months, weeks and days. A year is P1Y, four weeks are P4W (ISO 8601).`)
}

function reviewThresholds(thresholds: readonly Threshold[], error: Report): void {
  thresholds.forEach((threshold, i) => {
    const path = `/thresholds/${i}`
    if (thresholds.findIndex((t) => t.name === threshold.name) < i) error('name taken', `${path}/name`, `There are two thresholds called ${JSON.stringify(threshold.name)}.`)
    const { rearm, value, when } = threshold
    if (rearm === undefined) return
    const isUp = when === 'above' || when === 'at least'
    if (isUp ? rearm > value : rearm < value)
      error(
        're-arm beyond',
        `${path}/rearm`,
        `It is re-armed at ${rearm}, which is beyond ${value} itself. Give a value ${isUp ? 'at or below' : 'at or above'} it, or leave it out.`,
      )
  })
}

/** The field that a figure is grouped by; undefined where it has no groups. */
export function groupField({ by }: Pick<Figure, 'by'>, table: TableDef): FieldDef | undefined {
  return by === undefined ? undefined : must(fieldOf(table, typeof by === 'string' ? by : by.field))
}

/** What a figure is called: its label, or its name in words. */
export function labelOf({ label, name }: Pick<Figure, 'label' | 'name'>): string {
  const words = name.replaceAll('_', ' ')
  return label?.trim() || words.charAt(0).toUpperCase() + words.slice(1)
}

/** How a figure's values are written: as the field that it measures is, or as plain numbers. */
export function valueType({ of }: Pick<Figure, 'of'>, table: TableDef): 'number' | 'money' {
  const { kind, field } = measureOf(of)
  return kind !== 'count' && kind !== 'distinct' && field !== null && fieldOf(table, field)?.type === 'money' ? 'money' : 'number'
}
