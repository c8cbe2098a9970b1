import { someClause } from '../conditions/clause'
import type { Setting } from '../conditions/compile'
import { type Bind, linkedSql, type RowSql, rowConditionSql, type SqlNames } from '../conditions/sql'
import { measureOf, type TableFigure } from '../document/figure'
import { must, partsOf } from '../must'
import { checkPath } from '../paths/path'
import { type FieldDef, fieldOf, type Organisation, type TableDef, targetOf } from '../values/tables'

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
export function figureRowSql(figure: TableFigure, table: TableDef, setting: FigureSetting, names: SqlNames, row: RowSql, bind: Bind): FigureRowSql {
  const at = (path: string) => {
    const checked = checkPath(setting.schema, table, path)
    if ('problem' in checked) throw new Error(checked.problem)
    return { field: checked.field, sql: linkedSql(checked, row, names) }
  }
  const zone = () => bind(setting.organisation.zone, 'text')
  const day = (path: string) => {
    const { field, sql } = at(path)
    return field.type === 'date-time' ? `(${sql} at time zone ${zone()})::date` : sql
  }
  const { kind, field: measured } = measureOf(figure.of)
  const number = measured === null || kind === 'distinct' ? null : at(measured).sql
  const value = kind === 'distinct' && measured !== null ? plain(at(measured)) : kind === 'minimum' || kind === 'maximum' ? (number ?? NONE) : NONE
  const within = figure.within ? day(figure.within.field) : NO_DAY
  const conditions = [
    figure.where ? rowConditionSql(figure.where, table, setting, names, row, bind) : null,
    // PostgreSQL's NaN, which is greater than all, and its infinities count as blank
    number === null ? (kind === 'distinct' ? `${value} is not null` : null) : `abs(${number}) < 'Infinity'`,
    figure.within ? `${within} is not null and isfinite(${within})` : null,
  ].filter((c) => c !== null)
  const { by } = figure
  return {
    counts: conditions.length ? `(${conditions.join(' and ')})` : 'true',
    group: by === undefined ? NONE : typeof by === 'string' ? plain(at(by)) : `date_trunc('${by.each}', ${day(by.field)}::timestamp)::date`,
    day: within,
    value,
    amount: number ?? '0',
  }
}

/** A value without what is blank. */
function plain({ field: { type, key }, sql }: { readonly field: FieldDef; readonly sql: string }): string {
  const isTextual = key === undefined && !['number', 'money', 'yes/no', 'person', 'link', 'date', 'date-time'].includes(type)
  return isTextual ? `nullif(btrim(${sql}), '')` : sql
}

/** What a figure reads: fields of its own records, and of what a link leads to. */
export interface Read {
  readonly own: readonly string[]
  readonly linked: readonly { readonly link: string; readonly table: string; readonly fields: readonly string[] }[]
}

/** The fields that a figure reads; a link itself is one of its record's. */
export function fieldsRead({ of, where, by, within }: TableFigure, table: TableDef): Read {
  const paths = new Set<string>()
  const { field } = measureOf(of)
  if (field !== null) paths.add(field)
  if (by !== undefined) paths.add(typeof by === 'string' ? by : by.field)
  if (within) paths.add(within.field)
  if (where)
    someClause(where, (clause) => {
      for (const side of [clause.field, ...[clause.value, clause.to].flatMap((o) => (typeof o === 'object' && o !== null && 'field' in o ? [o.field] : []))])
        paths.add(bare(side, table))
      return false
    })
  const own = new Set<string>()
  const linked = new Map<string, Set<string>>()
  for (const path of paths) {
    const [head, next] = partsOf(path)
    own.add(head)
    if (next !== undefined) linked.set(head, (linked.get(head) ?? new Set()).add(next))
  }
  const target = (link: string) => must(targetOf(must(fieldOf(table, link))))
  return { own: [...own], linked: [...linked].map(([link, fields]) => ({ link, table: target(link), fields: [...fields] })) }
}

/** A path without the name of its record in front. */
function bare(path: string, table: TableDef): string {
  const [head, ...rest] = partsOf(path)
  return rest.length > 0 && !fieldOf(table, head) ? rest.join('.') : path
}
