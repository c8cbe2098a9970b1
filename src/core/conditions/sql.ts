import { checkPath } from '../paths/path'
import { comparisonOf } from '../values/compare'
import { type FieldType, type TableDef, targetOf } from '../values/tables'
import { type Clause, type Condition, isClause, type Operand, type Span, type SqlReading } from './clause'
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

function sqlType(type: FieldType): string {
  return type === 'date' ? 'date' : SQL_TYPES[comparisonOf(type)]
}

/**
 * Writes a condition as SQL over the rows of its table under the alias given; parameters are numbered after `first`.
 * @throws NotFilterable for change operators, formulas, unknown fields and operators that do not fit the field
 */
export function conditionSql(condition: Condition, table: TableDef, setting: Setting, names: SqlNames, alias: string, at: Date, first = 0): SqlCondition {
  const params: unknown[] = []
  const bind = (value: unknown, type: string) => {
    params.push(value)
    return `$${first + params.length}::${type}`
  }
  const write = (node: Condition): string => {
    if (isClause(node)) return clauseSql(node, table, setting, names, alias, at, bind)
    const [joint, children] = Object.entries(node)[0] as ['all' | 'any' | 'none', Condition[]]
    const parts = children.filter((c) => !(isClause(c) && c.muted)).map(write)
    if (joint === 'all') return parts.length ? `(${parts.join(' and ')})` : 'true'
    const some = parts.length ? `(${parts.join(' or ')})` : 'false'
    return joint === 'any' ? some : `(not ${some})`
  }
  return { text: write(condition), params }
}

type Bind = (value: unknown, type: string) => string

function clauseSql(c: Clause, table: TableDef, setting: Setting, names: SqlNames, alias: string, at: Date, bind: Bind): string {
  const field = pathSql(c.field, table, setting, names, alias)
  const operator = OPERATORS[c.op]
  if (!operator.sql) throw new NotFilterable(`“${c.op}” looks at a change; records can only be filtered by what they are now.`)
  if (!operator.on(field.type)) throw new NotFilterable(`“${c.op}” does not fit ${c.field}, which is a ${field.type} field.`)
  const side = (operand: Operand | undefined) => operandSql(operand, field.type, table, setting, names, alias, at, bind)
  const reading: SqlReading = {
    type: field.type,
    field: field.sql,
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
      return bind(at.toISOString(), 'timestamptz')
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

/** A path as SQL: an own column, or a scalar subquery through each link. */
function pathSql(path: string, table: TableDef, setting: Setting, names: SqlNames, alias: string): { sql: string; type: FieldType } {
  const checked = checkPath(setting.schema, table, path)
  if ('problem' in checked) throw new NotFilterable(checked.problem)
  let sql = `${alias}.${names.quote((checked.links[0] ?? checked.field).name)}`
  checked.links.forEach((link, i) => {
    const next = checked.links[i + 1] ?? checked.field
    const inner = `${alias}_${i + 1}`
    sql = `(select ${inner}.${names.quote(next.name)} from ${names.table(targetOf(link) as string)} ${inner} where ${inner}.id = ${sql})`
  })
  return { sql, type: checked.field.type }
}

function operandSql(operand: Operand | undefined, type: FieldType, table: TableDef, setting: Setting, names: SqlNames, alias: string, at: Date, bind: Bind): string {
  if (operand === undefined || operand === null) return `null::${sqlType(type)}`
  if (typeof operand !== 'object') return bind(literalParam(operand, type, setting), sqlType(type))
  if ('field' in operand) return pathSql(operand.field, table, setting, names, alias).sql
  if ('today' in operand) {
    const today = `(${bind(at.toISOString(), 'timestamptz')} at time zone ${bind(setting.organisation.zone, 'text')})::date`
    return type === 'date-time' ? bind(new Date(at.getTime() + operand.today * 86_400_000).toISOString(), 'timestamptz') : `(${today} + ${bind(operand.today, 'int')})`
  }
  throw new NotFilterable('Records can be filtered by a value, another field or today; nothing else fits here.')
}

function literalParam(value: string | number | boolean, type: FieldType, setting: Setting): unknown {
  if (type === 'person' && typeof value === 'string') return value.trim() === '' ? null : (setting.people.get(value.trim().toLowerCase()) ?? -1)
  if (typeof value === 'string' && value.trim() === '' && sqlType(type) !== 'text') return null
  return value
}
