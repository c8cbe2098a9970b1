import { someClause } from '../conditions/clause'
import type { Setting } from '../conditions/compile'
import { type Bind, type RowSql, rowConditionSql, type SqlNames } from '../conditions/sql'
import { type Figure, measureOf } from '../document/figure'
import { must, partsOf } from '../must'
import { type FieldDef, fieldOf, type Organisation, type TableDef } from '../values/tables'

/** What figures are worked out with. */
export type FigureSetting = Setting & { readonly organisation: Organisation }

/** What a record adds to a figure, as SQL over its row: whether it counts, in which group (JSON), on which day, as which value (JSON), and how much. */
export interface FigureRowSql {
  readonly counts: string
  readonly group: string
  readonly day: string
  readonly value: string
  readonly amount: string
}

/** What stands where a figure has no groups, no window, or does not tell values apart. */
export const NO_GROUP = `'null'::jsonb`
export const NO_DAY = `'-infinity'::date`

/** Writes what a record adds to a figure. @throws NotFilterable for conditions that a figure cannot have */
export function figureRowSql(figure: Figure, table: TableDef, setting: FigureSetting, names: SqlNames, row: RowSql, bind: Bind): FigureRowSql {
  const column = (field: FieldDef) => (typeof row === 'string' ? `${row}.${names.quote(field.name)}` : row(field))
  const named = (name: string) => must(fieldOf(table, name))
  const zone = () => bind(setting.organisation.zone, 'text')
  const day = (field: FieldDef) => (field.type === 'date-time' ? `(${column(field)} at time zone ${zone()})::date` : column(field))
  const { kind, field: measured } = measureOf(figure.of)
  const amount = measured === null ? '1' : kind === 'distinct' ? '0' : numberSql(column(named(measured)))
  const value =
    measured !== null && kind !== 'sum' && kind !== 'average' ? (kind === 'distinct' ? jsonOf(column(named(measured)), named(measured)) : `to_jsonb(${amount})`) : NO_GROUP
  const within = figure.within ? day(named(figure.within.field)) : NO_DAY
  const blank = measured === null ? null : kind === 'distinct' ? `${value} <> 'null'` : `${amount} is not null`
  const conditions = [
    figure.where ? rowConditionSql(figure.where, table, setting, names, row, bind) : null,
    blank,
    figure.within ? `${within} is not null and isfinite(${within})` : null,
  ].filter((c) => c !== null)
  return { counts: conditions.length ? `(${conditions.join(' and ')})` : 'true', group: groupSql(figure, named, column, day), day: within, value, amount }
}

/** A number that sums can be made of: PostgreSQL's NaN and infinities count as blank. */
const numberSql = (column: string) => `(case when ${column} not in ('NaN', 'Infinity', '-Infinity') then ${column} end)`

/** A value as JSON, null for what is blank. */
function jsonOf(column: string, { type, key }: FieldDef): string {
  const isTextual = key === undefined && !['number', 'money', 'yes/no', 'person', 'link', 'date', 'date-time'].includes(type)
  return `coalesce(to_jsonb(${isTextual ? `nullif(btrim(${column}), '')` : column}), 'null')`
}

function groupSql({ by }: Figure, named: (name: string) => FieldDef, column: (field: FieldDef) => string, day: (field: FieldDef) => string): string {
  if (by === undefined) return NO_GROUP
  if (typeof by === 'string') return jsonOf(column(named(by)), named(by))
  return `coalesce(to_jsonb(to_char(date_trunc('${by.each}', ${day(named(by.field))}::timestamp), 'YYYY-MM-DD')), 'null')`
}

/** The fields of its table that a figure reads. */
export function fieldsRead({ of, where, by, within }: Figure): string[] {
  const read = new Set<string>()
  const { field } = measureOf(of)
  if (field !== null) read.add(field)
  if (by !== undefined) read.add(typeof by === 'string' ? by : by.field)
  if (within) read.add(within.field)
  if (where)
    someClause(where, (clause) => {
      for (const side of [clause.field, ...[clause.value, clause.to].flatMap((o) => (typeof o === 'object' && o !== null && 'field' in o ? [o.field] : []))]) read.add(last(side))
      return false
    })
  return [...read]
}

const last = (path: string) => must(partsOf(path).at(-1))
