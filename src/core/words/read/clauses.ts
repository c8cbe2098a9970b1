import { OPERATORS } from '../../conditions/operators'
import type { Clause, Op, Operand } from '../../document/condition'
import { readBare } from './bare-values'
import { choicesOf } from './installation'
import { readBlank, readMany, readOperand, readSpan, type Wanted } from './operands'
import { type ReadPath, readPath, type Scope } from './paths'
import type { Reader } from './reader'
import { AND, BECAUSE_IT_IS, HANDED_OVER, HAS, IT, NO, OF_ALONE, OPERATOR_WORDS, OR, OR_MORE, TO } from './vocabulary'

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
