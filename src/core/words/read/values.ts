import type { Value } from '../../document/document'
import type { FieldDef, TableDef } from '../../values/tables'
import { fieldsOf } from './installation'
import { readBlank, readFormula, readLiteral, readToday, type Wanted } from './operands'
import { readPath, type Scope } from './paths'
import type { Reader } from './reader'
import { AND, AS, DETERMINERS, ITS, NOW, TO } from './vocabulary'

/** A value that a field is set to. Null in an object of its own where none stands here, since blank is one too. */
export function readValue(r: Reader, scope: Scope, field: Wanted): { readonly value: Value } | null {
  return r.attempt<{ readonly value: Value }>(() => {
    if (readBlank(r)) return { value: null }
    const formula = readFormula(r)
    if (formula !== null) return { value: { formula } }
    if (r.take(NOW)) return { value: { now: true } }
    if (field.type === 'date' || field.type === 'date-time') {
      const today = readToday(r)
      if (today !== null) return { value: { today } }
    }
    const quoted = r.token
    if (quoted?.kind === 'quoted') {
      r.at++
      return { value: r.text.charAt(quoted.from) === '"' ? quoted.text : { text: quoted.text } }
    }
    const path = r.token?.kind === 'exact' || r.sees(() => r.take(ITS)) ? readPath(r, scope) : null
    if (path) return { value: { field: path.path } }
    const literal = readLiteral(r, scope, field)
    return literal === null ? null : { value: literal }
  })
}

/** Fields and what they are set to: “status to Closed, due to today”; `joiner` says whether “to” has to stand between. */
export function readSet(r: Reader, scope: Scope, table: TableDef, isWithTo: boolean): Record<string, Value> {
  const set: Record<string, Value> = {}
  for (;;) {
    const one = r.attempt(() => {
      while (r.take(DETERMINERS)) if (r.isDone) return null
      const field: FieldDef | null = r.take(fieldsOf(table))
      if (!field) return null
      if (!r.take(TO) && !r.take(AS) && !r.sign('=', ':') && isWithTo) return null
      const read = readValue(r, scope, field)
      return read && { name: field.name, ...read }
    })
    if (!one) return set
    set[one.name] = one.value
    const further = r.attempt(() => {
      if (!r.further(AND)) return null
      return r.sees(() => {
        while (r.take(DETERMINERS)) if (r.isDone) return null
        return r.take(fieldsOf(table))
      })
        ? true
        : null
    })
    if (!further) return set
  }
}
