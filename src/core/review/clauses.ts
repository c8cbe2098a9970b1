import { OPERATORS, operatorsFor } from '../conditions/operators'
import { type Clause, type Condition, isClause, jointOf, type Operand } from '../document/condition'
import { formulaProblem } from '../formula/formula'
import { checkRooted } from '../paths/roots'
import { parseValue } from '../values/parse'
import type { FieldDef, FieldType } from '../values/tables'
import type { Context } from './context'

/** Reviews a condition, clause by clause. */
export function reviewCondition(node: Condition, path: string, context: Context): void {
  if (isClause(node)) {
    if (!node.muted) reviewClause(node, path, context)
    return
  }
  const [joint, children] = jointOf(node)
  if (children.length === 0) context.warn('empty condition', path, `“${joint} of” has no clauses, so it ${joint === 'any' ? 'never' : 'always'} holds. Add one or remove the line.`)
  children.forEach((child, i) => {
    reviewCondition(child, `${path}/${joint}/${i}`, context)
  })
}

/** The field a path ends at, or a stand-in for a root by itself; undefined and reported where there is none. */
function fieldAt(text: string, path: string, { setting, table, roots, error }: Context): FieldDef | undefined {
  const rooted = checkRooted(setting.schema, table, roots, text)
  if ('problem' in rooted) {
    error('unknown field', path, rooted.problem)
    return undefined
  }
  if (rooted.path) return rooted.path.field
  return { name: text, label: text, type: rooted.table ? 'link' : 'text' }
}

function reviewClause(clause: Clause, path: string, context: Context): void {
  const field = fieldAt(clause.field, `${path}/field`, context)
  if (!field) return
  const operator = OPERATORS[clause.op]
  if (!operator.on(field.type)) {
    const fits = operatorsFor(field.type).join(', ')
    context.error('operator does not fit', `${path}/op`, `“${clause.op}” does not fit ${field.label}, which is a ${field.type} field. It can be tested with ${fits}.`)
    return
  }
  if (operator.change && context.moves === false)
    return context.error('nothing has changed', `${path}/op`, `“${clause.op}” compares with before, and here nothing has changed. Say what ${field.label} is.`)
  const sides = operator.operand === 'none' ? [] : operator.operand === 'two' ? (['value', 'to'] as const) : (['value'] as const)
  for (const side of sides) reviewOperand(clause[side], `${path}/${side}`, operator.operand, clause, field, context)
}

const isSpan = (operand: Operand) => operand !== null && typeof operand === 'object' && !Array.isArray(operand) && ('minutes' in operand || 'hours' in operand || 'days' in operand)

function reviewOperand(operand: Operand | undefined, path: string, wants: string, clause: Clause, field: FieldDef, context: Context): void {
  const { error } = context
  if (operand === undefined) return error('no value', path, `“${clause.op}” needs a value to compare ${field.label} with.`)
  if (wants === 'span' || isSpan(operand)) {
    const says = wants === 'span' ? 'takes a number of minutes, hours or days' : 'does not take a span of time'
    if (wants !== 'span' || !isSpan(operand)) error('wrong value', path, `“${clause.op}” ${says}.`)
    return
  }
  if (wants === 'many' || Array.isArray(operand)) {
    if (wants !== 'many' || !Array.isArray(operand)) return error('wrong value', path, `“${clause.op}” takes ${wants === 'many' ? 'a list of values' : 'one value, not a list'}.`)
    operand.forEach((item, i) => {
      reviewLiteral(item, `${path}/${i}`, field, context)
    })
    return
  }
  if (operand !== null && typeof operand === 'object') reviewDynamic(operand, path, field, context)
  else reviewLiteral(operand, path, field, context)
}

function reviewDynamic(operand: object, path: string, field: FieldDef, context: Context): void {
  const { error } = context
  if ('formula' in operand) {
    const problem = formulaProblem(String(operand.formula))
    if (problem) error('formula does not parse', `${path}/formula`, problem)
    return
  }
  if ('today' in operand && field.type !== 'date' && field.type !== 'date-time')
    return error('wrong value', path, `${field.label} is a ${field.type} field and cannot be compared with today.`)
  if ('changedBy' in operand && field.type !== 'person')
    return error('wrong value', path, `${field.label} is a ${field.type} field; only a person field can be compared with whoever made the change.`)
  if (!('field' in operand)) return
  const other = fieldAt(String(operand.field), `${path}/field`, context)
  if (other && !isAlike(other.type, field.type)) error('types differ', path, `${field.label} (${field.type}) cannot be compared with ${other.label} (${other.type}).`)
}

const ALIKE: readonly (readonly FieldType[])[] = [
  ['number', 'money'],
  ['text', 'long text', 'choice', 'email', 'phone', 'folder'],
]

function isAlike(a: FieldType, b: FieldType): boolean {
  return a === b || ALIKE.some((group) => group.includes(a) && group.includes(b))
}

/** Reviews a literal against the field it is compared with or set on. */
export function reviewLiteral(value: string | number | boolean | null, path: string, field: FieldDef, { setting, error }: Context): void {
  if (value === null || value === '') return
  if (field.type === 'person') {
    if (typeof value !== 'string' || !setting.people.has(value.trim().toLowerCase()))
      error('unknown person', path, `Nobody here has the address ${JSON.stringify(value)}. People are named by their e-mail.`)
    return
  }
  const parsed = parseValue(field, value, path)
  if ('problem' in parsed) error(parsed.problem.code, path, parsed.problem.message)
}
