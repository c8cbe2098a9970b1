import type { Clause, Condition } from '../../document/condition'
import type { Cue } from '../../document/document'
import { typedDuration } from '../../values/duration'
import { bareValue } from './bare-values'
import { readClause } from './clauses'
import { Said } from './cue-scope'
import { fieldsOf, valuesOf } from './installation'
import type { Scope } from './paths'
import type { Reader } from './reader'
import { BECAUSE_IT_IS, DETERMINERS, IN, NOT, NOT_BEEN, STAYS, STAYS_FOR, WITHIN } from './vocabulary'

/** “stays New for 5 days”, “has been in review for a day”, “and stays so for 4 hours”. */
export function readStays(r: Reader, scope: Scope, said: Said): boolean {
  return (
    r.attempt(() => {
      const clause =
        r.attempt(() => bareValue(r, scope.table, false)) ??
        staysAs(r, scope) ??
        r.attempt<Clause>(() => {
          const isNot = r.take(NOT_BEEN) !== null
          if (!isNot) r.take(BECAUSE_IT_IS) || r.take(IN)
          return bareValue(r, scope.table, isNot || r.take(NOT) !== null)
        }) ??
        r.attempt(() => staysNamed(r, scope))
      const isLacking = clause !== null && 'op' in clause && clause.op.startsWith('is no')
      if (!r.take(STAYS_FOR) && !(isLacking && r.take(WITHIN))) return null
      const stays = readLength(r)
      if (stays === null) return null
      said.stays = stays
      if (clause) said.add(clause)
      return true
    }) ?? false
  )
}

/** “stays New”, “stays in review”: of the words that say so the most that leave a value. */
function staysAs(r: Reader, scope: Scope): Clause | null {
  for (const { end } of r.matches(STAYS)) {
    const clause = r.attempt(() => {
      r.at = end
      return bareValue(r, scope.table, r.take(NOT) !== null)
    })
    if (clause) return clause
  }
  return null
}

/** “status stays New”. */
function staysNamed(r: Reader, scope: Scope): Clause | null {
  r.take(DETERMINERS)
  const field = r.take(fieldsOf(scope.table))
  if (!field || !r.take(STAYS)) return readClause(r, scope)
  const found = r.matches(valuesOf(scope.table)).find((m) => m.meant.field === field)
  if (!found) return null
  r.at = found.end
  return { field: field.name, op: 'is', value: found.meant.value }
}

/** Most words of a length of time. */
const MOST_OF_LENGTH = 9

/** A length of time in words, in ISO 8601. */
function readLength(r: Reader): string | null {
  const begin = r.token
  for (let n = Math.min(MOST_OF_LENGTH, r.tokens.length - r.at); n > 0 && begin; n--) {
    const stays = typedDuration(r.text.slice(begin.from, r.tokens[r.at + n - 1]?.to))
    if (stays === null) continue
    r.at += n
    return stays
  }
  return null
}

/** A line by itself that says how long something is to stay: “in review for 5 days”, “stays so for 4 hours”. Null where it says no such thing. */
export function readStaysLine(r: Reader, scope: Scope): { readonly stays: string; readonly clauses: readonly Condition[] } | null {
  const said = new Said()
  return readStays(r, scope, said) && said.stays ? { stays: said.stays, clauses: said.parts.map(({ part }) => part) } : null
}

/** A cue that waits for what becomes true, by a creation or a change, to stay so; as it is where nothing is to stay, or no record is waited for. */
export function staying(cue: Cue, stays: string | null): Cue {
  if (stays === null || cue.kind !== 'record') return cue
  return { ...cue, on: [...new Set([...cue.on, 'created' as const, 'changed' as const])], stays }
}
