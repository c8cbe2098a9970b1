import { OPERATORS } from '../../conditions/operators'
import { type Clause, type Condition, isClause, joined, type Op, type Operand } from '../../document/condition'
import { type FieldDef, fieldOf, type TableDef } from '../../values/tables'
import type { Joined } from './cue-scope'
import { choicesOf, valuesOf } from './installation'
import { readBlank, readMany, readNumber, readOperand, readSpan, type Wanted } from './operands'
import { ownNoun, type ReadPath, readPath, type Scope } from './paths'
import type { Reader } from './reader'
import { AND, BECAUSE_IT_IS, BECOMES, DETERMINERS, HANDED_OVER, HAS, IT, NEITHER, NO, NOR, NOT, OF_ALONE, OPERATOR_WORDS, OR, OR_MORE, TO, WHERE } from './vocabulary'

/** Deepest that conditions in brackets are read. */
const DEEPEST = 8

/** Conditions in words: clauses with “and”, “or”, brackets, “neither … nor”. Null where no clause stands here. */
export function readCondition(r: Reader, scope: Scope, depth = 0): Condition | null {
  if (depth > DEEPEST) return null
  const neither = readNeither(r, scope, depth)
  if (neither) return neither
  const begin = r.at
  const first = readPrimary(r, scope, depth)
  const joints: Joined[] = []
  if (!first) return null
  for (;;) {
    const next = r.attempt(() => {
      const joint = readJoint(r)
      if (joint === null) return null
      r.take(WHERE)
      const part = readPrimary(r, scope, depth)
      return part && { joint, part }
    })
    if (!next) break
    joints.push(next)
  }
  return put(r, begin, first, joints)
}

/** “and”, “or”, or a comma with or without them. */
function readJoint(r: Reader): 'all' | 'any' | null {
  const comma = r.sign(',', ';')
  if (r.take(OR)) return 'any'
  return r.take(AND) || comma ? 'all' : null
}

/** Puts clauses together; where “and” and “or” stand side by side without brackets, there are two ways. */
export function put(r: Reader, begin: number, first: Condition, rest: readonly Joined[]): Condition {
  if (rest.length === 0) return first
  const joint = rest[0]?.joint ?? 'all'
  if (rest.every((next) => next.joint === joint)) return joined(joint, [first, ...rest.map((next) => next.part)])
  const closer = (inner: 'all' | 'any', outer: 'all' | 'any') => {
    const groups: Condition[][] = [[first]]
    for (const { joint: by, part } of rest) {
      if (by === inner) groups[groups.length - 1]?.push(part)
      else groups.push([part])
    }
    return joined(
      outer,
      groups.map((group) => (group.length === 1 && group[0] ? group[0] : joined(inner, group))),
    )
  }
  const ways = [closer('all', 'any'), closer('any', 'all')]
  return r.pick(begin, ['“and” binds closer than “or”', '“or” binds closer than “and”'], ways)
}

/** Operators that say exactly what others do not. */
const NEGATED: Partial<Record<Op, Op>> = {
  is: 'is not',
  'is not': 'is',
  'is one of': 'is none of',
  'is none of': 'is one of',
  'is blank': 'is filled',
  'is filled': 'is blank',
  contains: 'does not contain',
  'does not contain': 'contains',
}

/** A condition that does not hold: the clause that says so where there is one. */
export function unless(condition: Condition): Condition {
  const op = isClause(condition) ? NEGATED[condition.op] : undefined
  return isClause(condition) && op ? { ...condition, op } : joined('none', [condition])
}

function readNeither(r: Reader, scope: Scope, depth: number): Condition | null {
  return r.attempt(() => {
    if (!r.take(NEITHER)) return null
    const parts: Condition[] = []
    do {
      const part = readPrimary(r, scope, depth)
      if (!part) return null
      parts.push(part)
    } while (r.take(NOR))
    return joined('none', parts)
  })
}

function readPrimary(r: Reader, scope: Scope, depth: number): Condition | null {
  const inBrackets = r.attempt(() => {
    if (!r.sign('(')) return null
    const inner = readCondition(r, scope, depth + 1)
    return inner && r.sign(')') ? inner : null
  })
  return inBrackets ?? readClause(r, scope)
}

/** One clause: “status is New”, “amount over £500”, “it has no owner”, “is paid”. Null where none stands here. */
export function readClause(r: Reader, scope: Scope): Clause | null {
  return r.attempt(() => readMissing(r, scope) ?? readNamed(r, scope) ?? readBare(r, scope))
}

/** “has no owner”, “without a due date”, “has an owner”. */
function readMissing(r: Reader, scope: Scope): Clause | null {
  return r.attempt(() => {
    r.take(IT)
    const op = r.take(NO) ? ('is blank' as const) : r.take(HAS) ? ('is filled' as const) : null
    const path = op && readPath(r, scope)
    if (!op || !path?.field) return null
    if (op === 'is filled' && r.sees(() => r.take(OPERATOR_WORDS))) return null // "with amount over 500" is a clause of its own
    return { field: path.path, op }
  })
}

/** A clause whose field is named. */
function readNamed(r: Reader, scope: Scope): Clause | null {
  return (
    r.attempt(() => {
      const path = readPath(r, scope)
      if (!path) return null
      if (r.take(BECAUSE_IT_IS) && r.take(HANDED_OVER)) return { field: path.path, op: 'changed' }
      return null
    }) ??
    r.attempt(() => {
      const path = readPath(r, scope)
      if (!path) return null
      const field: Wanted = path.field ?? { type: path.leadsTo ? 'link' : 'number' }
      const begin = r.at
      for (const { meant: op, end } of r.matches(OPERATOR_WORDS)) {
        if (!OPERATORS[op].on(field.type)) continue
        r.at = end
        const clause = withOperand(r, scope, path.path, field, op)
        if (clause) return clause
        r.at = begin
      }
      return unfinished(r, path.path, field) ?? chosen(r, path)
    })
  )
}

/** “of kind Refund”. */
export function ofChoice(r: Reader, scope: Scope): Clause | null {
  return r.attempt(() => {
    if (!r.take(OF_ALONE)) return null
    const path = readPath(r, scope)
    return path && chosen(r, path)
  })
}

/** “(with) severity Stops sailing”: a choice behind its field. */
function chosen(r: Reader, { path, field }: ReadPath): Clause | null {
  if (field?.type !== 'choice') return null
  const value = r.take(choicesOf(field))
  return value === null ? null : { field: path, op: 'is', value }
}

/** A clause of which the right side is missing, or was not understood: what could stand there is said. */
function unfinished(r: Reader, path: string, field: Wanted): Clause | null {
  const op = r.take(OPERATOR_WORDS)
  if (!op || !OPERATORS[op].on(field.type)) return null
  if (!r.isDone && !r.sees(() => r.take(AND)) && !r.sign(',')) {
    const many = field.choices?.length ? ` ${field.label ?? 'It'} is one of ${field.choices.slice(0, 6).join(', ')}.` : ''
    r.skip(`This was not understood.${many}`)
  }
  return { field: path, op }
}

/** A clause with what stands to the right of its operator; null where that does not fit. */
function withOperand(r: Reader, scope: Scope, path: string, field: Wanted, op: Op): Clause | null {
  const of = (more: Partial<Clause>): Clause => ({ field: path, op, ...more })
  switch (OPERATORS[op].operand) {
    case 'none':
      if (op === 'changed' && r.sees(() => r.take(TO))) return null
      return of({})
    case 'many': {
      const values = readMany(r, scope, field)
      return values.length ? of({ value: values }) : null
    }
    case 'span': {
      const span = readSpan(r, true)
      return span && of({ value: span })
    }
    case 'two': {
      if (op === 'changed from to') return null // read from "changed from"
      const [value, to] = readPair(r, scope, field, AND)
      return value !== null && to !== null ? of({ value, to }) : null
    }
    default:
      return op === 'changed from' ? changedFrom(r, scope, path, field) : withOne(r, scope, path, field, op)
  }
}

function changedFrom(r: Reader, scope: Scope, path: string, field: Wanted): Clause | null {
  const [value, to] = readPair(r, scope, field, TO)
  if (value === null) return null
  return to === null ? { field: path, op: 'changed from', value } : { field: path, op: 'changed from to', value, to }
}

/** Two right sides with a word between; the second null where it is not there. */
function readPair(r: Reader, scope: Scope, field: Wanted, between: typeof AND): readonly [Operand | null, Operand | null] {
  const value = readOperand(r, scope, field)
  if (value === null) return [null, null]
  const to = r.attempt(() => (r.take(between) ? readOperand(r, scope, field) : null))
  return [value, to]
}

function withOne(r: Reader, scope: Scope, path: string, field: Wanted, op: Op): Clause | null {
  if (op === 'is' && readBlank(r)) return { field: path, op: 'is blank' }
  if (op === 'is not' && readBlank(r)) return { field: path, op: 'is filled' }
  const value = readOperand(r, scope, field)
  if (value === null) return null
  const bound = op === 'is' && typeof value === 'number' ? r.take(OR_MORE) : null
  if (bound) return { field: path, op: bound === 'more' ? 'at least' : 'at most', value }
  return op === 'is' || op === 'is not' ? orMany(r, scope, path, field, op, value) : { field: path, op, value }
}

/** “is New or In review”: one of several, where another value of the field follows and no clause. */
function orMany(r: Reader, scope: Scope, path: string, field: Wanted, op: 'is' | 'is not', value: Operand): Clause {
  const isText = typeof value === 'string' || typeof value === 'number'
  if (!isText || !['choice', 'person', 'number', 'money'].includes(field.type)) return { field: path, op, value }
  const others = r.attempt(() => {
    if (!r.take(OR)) return null
    const values = readMany(r, scope, field)
    return values.length > 0 && !r.sees(() => r.take(OPERATOR_WORDS)) ? values : null
  })
  return others ? { field: path, op: op === 'is' ? 'is one of' : 'is none of', value: [value, ...others] } : { field: path, op, value }
}

/** A clause that names no field: “is Late”, “it is paid”, “is not done”, “is over 500”. */
function readBare(r: Reader, scope: Scope): Clause | null {
  return (
    r.attempt(() => {
      r.past([DETERMINERS], () => r.take(ownNoun(scope.table))) ?? r.take(IT)
      const becomes = r.take(BECOMES) !== null
      if (!becomes && !r.take(BECAUSE_IT_IS)) return verbal(r, scope.table)
      const isNot = r.take(NOT) !== null
      return bareValue(r, scope.table, isNot) ?? bareNumber(r, scope, isNot)
    }) ?? r.past([IT], () => bareNumber(r, scope, false))
  )
}

/** Comparisons that are said of days alone. */
const OF_DAYS: ReadonlySet<string> = new Set(['before', 'after'])

const COMPARISONS: ReadonlySet<Op> = new Set(['less than', 'at most', 'more than', 'at least'])

/** “is over 500”: of whichever number the record has; where it has several, each is a way. */
function bareNumber(r: Reader, scope: Scope, isNot: boolean): Clause | null {
  if (isNot) return null
  const begin = r.at
  if (OF_DAYS.has(r.token?.key ?? '')) return null
  for (const { meant: op, end } of r.matches(OPERATOR_WORDS)) {
    if (!COMPARISONS.has(op)) continue
    r.at = end
    const isMoney = /\p{Sc}/u.test(r.token?.text ?? '')
    const value = readNumber(r, scope)
    const fields = scope.table.fields.filter((f) => !f.housekeeping && (f.type === 'money' || (f.type === 'number' && !isMoney)))
    if (value !== null && fields.length) {
      const field = r.pick(
        begin,
        fields.map((f) => f.label.toLowerCase()),
        fields,
      )
      return { field: field.name, op, value }
    }
    r.at = begin
  }
  return null
}

/** What a record is said to be, by a choice or a yes/no field: the clause. */
export function bareValue(r: Reader, table: TableDef, isNot: boolean): Clause | null {
  const begin = r.at
  const found = r.matches(valuesOf(table))
  const [longest] = found
  if (!longest) return null
  const alike = found.filter((m) => m.end === longest.end)
  const { field, value } = r.pick(
    begin,
    alike.map((m) => `${m.meant.field.label.toLowerCase()} ${m.words}`),
    alike,
  ).meant
  r.at = longest.end
  if (value === true) return { field: field.name, op: 'is', value: !isNot }
  const first: Clause = { field: field.name, op: isNot ? 'is not' : 'is', value }
  const others = r.attempt(() => {
    if (!r.take(OR)) return null
    const next = r.matches(valuesOf(table)).find((m) => m.meant.field === field)
    if (!next || typeof next.meant.value !== 'string') return null
    r.at = next.end
    return next.meant.value
  })
  return others === null ? first : { field: field.name, op: isNot ? 'is none of' : 'is one of', value: [value, others] }
}

/** Most words of a choice that stands before its noun. */
const MOST_BEFORE = 4

/** A table by its noun, with what is said of its records before that: “claims”, “late sailings”. Null where none stands here. */
export function describedTable(r: Reader, tables: Scope['words']['tables']): { readonly table: TableDef; readonly clause: Clause | null } | null {
  const begin = r.at
  for (let before = 0; before <= MOST_BEFORE && begin + before < r.tokens.length; before++) {
    const found = r.attempt(() => {
      r.at = begin + before
      const table = r.take(tables)
      const behind = r.at
      r.at = begin
      const clause = table && before > 0 ? bareValue(r, table, false) : null
      if (!table || r.at !== begin + before) return null
      r.at = behind
      return { table, clause }
    })
    if (found) return found
  }
  return null
}

/** A choice that is a verb by itself: “a defect stops sailing”. */
function verbal(r: Reader, table: TableDef): Clause | null {
  const found = r.matches(valuesOf(table)).find((m) => typeof m.meant.value === 'string' && /\s/.test(m.words) && /s$/.test(m.words.split(/\s/)[0] ?? ''))
  if (!found || typeof found.meant.value !== 'string') return null
  r.at = found.end
  return { field: found.meant.field.name, op: 'is', value: found.meant.value }
}

/** The clause that says that a record has another owner. */
export function handedOver(table: TableDef): Clause | null {
  const owner: FieldDef | undefined = table.ownerField ? fieldOf(table, table.ownerField) : table.fields.find((f) => f.type === 'person')
  return owner ? { field: owner.name, op: 'changed' } : null
}
