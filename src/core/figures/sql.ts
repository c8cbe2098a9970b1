import { someClause } from '../conditions/clause'
import type { Setting } from '../conditions/compile'
import { type Bind, type RowSql, rowConditionSql, type SqlNames } from '../conditions/sql'
import { type Figure, measureOf } from '../document/figure'
import { must, partsOf } from '../must'
import { type FieldDef, fieldOf, type Organisation, type TableDef } from '../values/tables'

/** What figures are worked out with. */
export type FigureSetting = Setting & { readonly organisation: Organisation }

/**
 * What a record adds to a figure, as SQL over its row: whether it counts, in which group, on which day, as which value, and how much. Groups and values are in the types of their columns,
 * null for blank and where there are none; `asJson` makes JSON of them.
 */
export interface FigureRowSql {
  readonly counts: string
  readonly group: string
  readonly day: string
  readonly value: string
  readonly amount: string
}

/** A group or value as JSON, null for blank. */
export const asJson = (sql: string): string => `coalesce(to_jsonb(${sql}), 'null'::jsonb)`

/** What stands where a figure has no groups, or does not tell values apart; and where it has no window. */
const NONE = 'null::int'
const NO_DAY = `'-infinity'::date`

/** Writes what a record adds to a figure. @throws NotFilterable for conditions that a figure cannot have */
export function figureRowSql(figure: Figure, table: TableDef, setting: FigureSetting, names: SqlNames, row: RowSql, bind: Bind): FigureRowSql {
  const column = (field: FieldDef) => (typeof row === 'string' ? `${row}.${names.quote(field.name)}` : row(field))
  const named = (name: string) => must(fieldOf(table, name))
  const zone = () => bind(setting.organisation.zone, 'text')
  const day = (field: FieldDef) => (field.type === 'date-time' ? `(${column(field)} at time zone ${zone()})::date` : column(field))
  const { kind, field: measured } = measureOf(figure.of)
  const number = measured === null || kind === 'distinct' ? null : column(named(measured))
  const value = kind === 'distinct' && measured !== null ? plain(column(named(measured)), named(measured)) : kind === 'minimum' || kind === 'maximum' ? (number ?? NONE) : NONE
  const within = figure.within ? day(named(figure.within.field)) : NO_DAY
  const conditions = [
    figure.where ? rowConditionSql(figure.where, table, setting, names, row, bind) : null,
    // PostgreSQL's NaN, which is greater than all, and its infinities count as blank
    number === null ? (kind === 'distinct' ? `${value} is not null` : null) : `${number} < 'Infinity' and ${number} > '-Infinity'`,
    figure.within ? `${within} is not null and isfinite(${within})` : null,
  ].filter((c) => c !== null)
  return {
    counts: conditions.length ? `(${conditions.join(' and ')})` : 'true',
    group: groupSql(figure, named, column, day),
    day: within,
    value,
    amount: number ?? '0',
  }
}

/** A value without what is blank. */
function plain(column: string, { type, key }: FieldDef): string {
  const isTextual = key === undefined && !['number', 'money', 'yes/no', 'person', 'link', 'date', 'date-time'].includes(type)
  return isTextual ? `nullif(btrim(${column}), '')` : column
}

function groupSql({ by }: Figure, named: (name: string) => FieldDef, column: (field: FieldDef) => string, day: (field: FieldDef) => string): string {
  if (by === undefined) return NONE
  if (typeof by === 'string') return plain(column(named(by)), named(by))
  return `date_trunc('${by.each}', ${day(named(by.field))}::timestamp)::date`
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
