import type { Clause, Op } from '../../document/condition'
import { type FieldDef, fieldOf, type TableDef } from '../../values/tables'
import { valuesOf } from './installation'
import { readNumber } from './operands'
import { ownNoun, type Scope } from './paths'
import type { Reader } from './reader'
import { BECAUSE_IT_IS, BECOMES, DETERMINERS, IT, NOT, OPERATOR_WORDS, OR } from './vocabulary'

/** A clause that names no field: “is Late”, “it is paid”, “is not done”, “is over 500”. */
export function readBare(r: Reader, scope: Scope): Clause | null {
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
