import { type Clause, type Condition, isClause, jointOf, type Operand } from '../document/condition'
import { must, partsOf } from '../must'
import { type CheckedPath, checkPath } from '../paths/path'
import { comparisonOf } from '../values/compare'
import { readId } from '../values/parse'
import { type Compared, type FieldDef, fieldOf, type TableDef, targetOf } from '../values/tables'
import type { Span, SqlReading } from './clause'
import type { Setting } from './compile'
import { OPERATORS } from './operators'
import { wholeDays } from './operators/order'

/** An SQL condition over a table's rows, with its parameters; always true or false, never null. */
export interface SqlCondition {
  readonly text: string
  readonly params: readonly unknown[]
}

/** How the database is named: quoting, and where a table's rows are. */
export interface SqlNames {
  quote(identifier: string): string
  table(name: string): string
  /** SQL of a column of the record of a table that has an id, where it is not simply read from its row. */
  linked?(table: string, field: FieldDef, id: string): string
}

/** A condition that cannot be used to filter rows, and why. */
export class NotFilterable extends Error {
  override readonly name = 'NotFilterable'
}

const SQL_TYPES = {
  folded: 'text',
  exact: 'text',
  number: 'numeric',
  instant: 'timestamptz',
  id: 'bigint',
  truth: 'boolean',
} as const

/** The type that SQL compares the values of a field in. */
export function sqlType({ type, key }: Compared): string {
  return type === 'date' ? 'date' : (key ?? SQL_TYPES[comparisonOf(type)])
}

/** Binds a parameter and answers how it is referred to. */
export type Bind = (value: unknown, type: string) => string

/** A row that SQL reads: its alias, or how each of its columns is written. */
export type RowSql = string | ((field: FieldDef) => string)

/** What a condition's SQL reads: the record's row, and where rows are changes, what stood before and the circumstances. */
interface Rows {
  /** The record as it is now; deleted: as it was. */
  readonly now: RowSql
  readonly change: { readonly before: RowSql; readonly kind: string; readonly by: string; readonly ownOnly: boolean } | null
  /** SQL of the moment that days and spans are counted from. */
  readonly moment: () => string
}

/** What is written with: the tables, how the database is named, and how parameters are bound. */
interface Writing {
  readonly table: TableDef
  readonly setting: Setting
  readonly names: SqlNames
  readonly rows: Rows
  readonly bind: Bind
}

function binder(first: number): { params: unknown[]; bind: Bind } {
  const params: unknown[] = []
  const bind: Bind = (value, type) => {
    params.push(value)
    return `$${first + params.length}::${type}`
  }
  return { params, bind }
}

/**
 * Writes a condition as SQL over the rows of its table under the alias given; parameters are numbered after `first`.
 * @throws NotFilterable for change operators, formulas, unknown fields and operators that do not fit the field
 */
export function conditionSql(condition: Condition, table: TableDef, setting: Setting, names: SqlNames, alias: string, at: Date, first = 0): SqlCondition {
  const { params, bind } = binder(first)
  const rows: Rows = { now: alias, change: null, moment: () => bind(at.toISOString(), 'timestamptz') }
  return { text: write(condition, { table, setting, names, rows, bind }, true), params }
}

/** The same over a row however its columns are written, with parameters bound where others are. It may not go by the clock. @throws NotFilterable */
export function rowConditionSql(condition: Condition, table: TableDef, setting: Setting, names: SqlNames, row: RowSql, bind: Bind): string {
  const moment = () => {
    throw new NotFilterable('What is days or hours ago moves by itself; this is asked of what was written alone.')
  }
  return write(condition, { table, setting, names, rows: { now: row, change: null, moment }, bind }, true)
}

/** The rows that `changeSql` reads: a row of the change log by its alias, and the record's rows after (deleted: before) and before it. */
export interface ChangeAliases {
  readonly change: string
  readonly now: RowSql
  readonly before: RowSql
  /** The id of the person who made the change, where it is not in the row's `by`. */
  readonly by?: string
  /** Whether only the record's own fields are read: what looks through a link then lets more through, as a formula does. */
  readonly ownOnly?: boolean
}

/**
 * Writes as SQL over the change log whether a condition lets a change fire: with `entering`, it holds as it did not before.
 * A formula has no SQL: where one stands, more may come through than fires, never less; the core decides about those.
 * @throws NotFilterable for unknown fields and operators that do not fit the field
 */
export function changeSql(condition: Condition, firing: 'entering' | 'every', table: TableDef, setting: Setting, names: SqlNames, aliases: ChangeAliases, first = 0): SqlCondition {
  const { params, bind } = binder(first)
  const { change, now, before, by = `(${change}.by ->> 'person')::bigint`, ownOnly = false } = aliases
  const circumstances = { kind: `${change}.kind`, by, ownOnly }
  const writing = (own: RowSql): Writing => ({ table, setting, names, bind, rows: { now: own, change: { before, ...circumstances }, moment: () => `${change}.at` } })
  const holds = write(condition, writing(now), true)
  if (firing === 'every') return { text: holds, params }
  return { text: `(${holds} and (${change}.kind <> 'changed' or not ${write(condition, writing(before), false)}))`, params }
}

/** Writes a node. What has no SQL becomes true where that lets more through, and false under a negation; `lets` says which. */
function write(node: Condition, writing: Writing, lets: boolean): string {
  if (isClause(node)) return clauseSql(node, writing, lets)
  const [joint, children] = jointOf(node)
  const parts = children.filter((c) => !(isClause(c) && c.muted)).map((c) => write(c, writing, joint === 'none' ? !lets : lets))
  if (joint === 'all') return parts.length ? `(${parts.join(' and ')})` : 'true'
  const some = parts.length ? `(${parts.join(' or ')})` : 'false'
  return joint === 'any' ? some : `(not ${some})`
}

const isFormula = (operand: Operand | undefined) => typeof operand === 'object' && operand !== null && 'formula' in operand

/** Whether a clause reads anything but the record's own fields. */
export function looksThroughLink(c: Clause, { table, setting }: Pick<Writing, 'table' | 'setting'>): boolean {
  const paths = [c.field, ...[c.value, c.to].flatMap((side) => (typeof side === 'object' && side !== null && 'field' in side ? [side.field] : []))]
  return paths.some((text) => {
    const [head, ...rest] = partsOf(text)
    const checked = checkPath(setting.schema, table, !fieldOf(table, head) && rest.length > 0 ? rest.join('.') : text)
    return 'problem' in checked || checked.links.length > 0
  })
}

/** Whether a condition's SQL over the change log is exact: it has no formula and reads the record's own fields alone. */
export function isExactInSql(condition: Condition, table: TableDef, setting: Setting): boolean {
  if (isClause(condition)) return condition.muted || (!isFormula(condition.value) && !isFormula(condition.to) && !looksThroughLink(condition, { table, setting }))
  return jointOf(condition)[1].every((child) => isExactInSql(child, table, setting))
}

function clauseSql(c: Clause, writing: Writing, lets: boolean): string {
  const { rows, setting, bind } = writing
  const operator = OPERATORS[c.op]
  if (operator.change && !rows.change) throw new NotFilterable(`“${c.op}” looks at a change; records can only be filtered by what they are now.`)
  const field = pathSql(c.field, writing, rows.now)
  if (!operator.on(field.type)) throw new NotFilterable(`“${c.op}” does not fit ${c.field}, which is a ${field.type} field.`)
  if (rows.change && (isFormula(c.value) || isFormula(c.to))) return String(lets)
  if (rows.change?.ownOnly && looksThroughLink(c, writing)) return String(lets)
  const side = (operand: Operand | undefined) => operandSql(operand, field, writing)
  const reading: SqlReading = {
    type: field.type,
    field: field.sql,
    before: rows.change && operator.change ? pathSql(c.field, writing, rows.change.before).sql : 'null',
    kind: rows.change?.kind ?? 'null',
    isFilled: [c.value].flat().every((v) => typeof v === 'string' && v.trim() !== ''),
    value: operator.operand === 'one' || operator.operand === 'two' ? side(c.value) : 'null',
    to: operator.operand === 'two' ? side(c.to) : 'null',
    list: operator.operand === 'many' ? (Array.isArray(c.value) ? c.value : []).map((item) => side(item)) : [],
    // bound only when an operator asks, since a parameter that is not used has no type
    get span() {
      return bind(spanText(c.value), 'interval')
    },
    get days() {
      return bind(wholeDays(c.value as Span), 'int')
    },
    get moment() {
      return rows.moment()
    },
    get zone() {
      return bind(setting.organisation.zone, 'text')
    },
  }
  return operator.sql(reading)
}

function spanText(operand: Operand | undefined): string {
  const [unit, count] = Object.entries((operand ?? {}) as object)[0] ?? []
  if (!unit || typeof count !== 'number') throw new NotFilterable('A span of minutes, hours or days is wanted here.')
  return unit === 'days' ? `${count * 24} hours` : `${count} ${unit}`
}

/** A path as SQL: a column of the record's own row, or a scalar subquery through each link; `before.…` reads the row before where rows are changes. */
function pathSql(text: string, { table, setting, names, rows }: Writing, own: RowSql): Compared & { sql: string } {
  const [head, ...rest] = partsOf(text)
  const isNamed = !fieldOf(table, head) && rest.length > 0 && (head === 'record' || head === table.singular || (head === 'before' && rows.change !== null))
  const checked = checkPath(setting.schema, table, isNamed ? rest.join('.') : text)
  if ('problem' in checked) throw new NotFilterable(checked.problem)
  return { sql: linkedSql(checked, isNamed && head === 'before' ? must(rows.change?.before) : own, names), type: checked.field.type, key: checked.field.key }
}

/** A checked path as SQL: a column of a row, or of what its links lead to. */
export function linkedSql(checked: CheckedPath, row: RowSql, names: SqlNames): string {
  const first = checked.links[0] ?? checked.field
  const alias = typeof row === 'string' ? row : 'l'
  let sql = typeof row === 'string' ? `${row}.${names.quote(first.name)}` : row(first)
  checked.links.forEach((link, i) => {
    const next = checked.links[i + 1] ?? checked.field
    const inner = `${alias}_${i + 1}`
    if (names.linked) {
      sql = names.linked(must(targetOf(link)), next, sql)
      return
    }
    sql = `(select ${inner}.${names.quote(next.name)} from ${names.table(must(targetOf(link)))} ${inner} where ${inner}.id = ${sql})`
  })
  const { field } = checked
  return field.name === 'id' && field.type === 'text' ? `(${sql})::text` : sql
}

function operandSql(operand: Operand | undefined, field: Compared, writing: Writing): string {
  const { setting, rows, bind } = writing
  const { type } = field
  if (operand === undefined || operand === null) return `null::${sqlType(field)}`
  if (typeof operand !== 'object') return bind(literalParam(operand, field, setting), sqlType(field))
  if ('field' in operand) return pathSql(operand.field, writing, rows.now).sql
  if ('today' in operand) {
    if (type === 'date-time') return `(${rows.moment()} + ${bind(`${operand.today * 24} hours`, 'interval')})`
    return `((${rows.moment()} at time zone ${bind(setting.organisation.zone, 'text')})::date + ${bind(operand.today, 'int')})`
  }
  if ('changedBy' in operand && rows.change) return rows.change.by
  throw new NotFilterable('Records can be filtered by a value, another field or today; nothing else fits here.')
}

function literalParam(value: string | number | boolean, field: Compared, setting: Setting): unknown {
  const { type } = field
  if (field.key) return readId(field, value)
  if (type === 'person' && typeof value === 'string') return value.trim() === '' ? null : (setting.people.get(value.trim().toLowerCase()) ?? -1)
  if (typeof value === 'string' && value.trim() === '' && sqlType(field) !== 'text') return null
  return value
}
