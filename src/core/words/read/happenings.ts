import type { Clause } from '../../document/condition'
import type { TableDef } from '../../values/tables'
import { bareValue, handedOver } from './bare-values'
import type { Said } from './cue-scope'
import { fieldsOf, valuesOf } from './installation'
import { Lexicon } from './lexicon'
import { readPerson } from './operands'
import type { Scope } from './paths'
import type { Reader } from './reader'
import { BECAUSE_IT_IS, DETERMINERS, FROM, HANDED_OVER, HANDED_TO, HAPPENINGS, IN, MADE_KNOWN, OR, TO } from './vocabulary'

const FOLDER_TO = new Lexicon([{ words: 'to', meant: true, also: ['in', 'under', 'into', 'to the folder', 'in the folder'] }], true)

/** “is created or changed in offer”, “is added to Minutes”. */
export function readHappening(r: Reader, scope: Scope, said: Said): boolean {
  return (
    r.attempt(() => {
      r.take(BECAUSE_IT_IS)
      const kind = r.take(HAPPENINGS) ?? madeKnown(r, scope)
      if (kind === null) return null
      // "changed to Settled" is said of a field, or of a choice
      if (kind === 'changed' && r.sees(() => r.take(BECOMES_TO) && bareValue(r, scope.table, false))) {
        r.take(BECOMES_TO)
        said.becomes = true
        const clause = bareValue(r, scope.table, false)
        if (clause) said.add(clause)
        return true
      }
      const from = kind === 'changed' ? changedFrom(r, scope.table) : null
      if (from) {
        said.add(from)
        return true
      }
      said.on.add(kind)
      if (kind === 'created' && readFolder(r, scope, said)) return true
      const fields = r.attempt(() => (r.take(IN) ? readFields(r, scope.table) : null))
      if (fields) said.fields.push(...fields)
      return true
    }) ?? false
  )
}

/** “is reported”, where the record cannot become that. */
const madeKnown = (r: Reader, { table }: Scope) => (r.matches(valuesOf(table)).length === 0 && r.take(MADE_KNOWN) ? ('created' as const) : null)

/** “changes from New”, “changes from New to Closed”, of whichever choice the record has. */
function changedFrom(r: Reader, table: TableDef): Clause | null {
  return r.attempt(() => {
    if (!r.take(FROM)) return null
    const before = bareValue(r, table, false)
    if (before?.op !== 'is') return null
    const after = r.attempt(() => (r.take(TO) ? bareValue(r, table, false) : null))
    if (after?.op === 'is' && after.field === before.field) return { field: before.field, op: 'changed from to', value: before.value, to: after.value }
    return { field: before.field, op: 'changed from', value: before.value }
  })
}

const BECOMES_TO = new Lexicon([{ words: 'to', meant: true }], true)

function readFolder(r: Reader, { table }: Scope, said: Said): boolean {
  const field = table.fields.find((f) => f.type === 'folder')
  if (!field) return false
  return (
    r.attempt(() => {
      if (!r.take(FOLDER_TO)) return null
      const begin = r.token
      if (!begin || begin.kind === 'sign') return null
      r.at++
      while (r.token && (r.token.key === '/' || r.tokens[r.at - 1]?.key === '/')) r.at++
      const value = begin.kind === 'quoted' ? begin.text : r.text.slice(begin.from, r.tokens[r.at - 1]?.to)
      said.add({ field: field.name, op: 'is in', value })
      return true
    }) ?? false
  )
}

function readFields(r: Reader, table: TableDef): string[] | null {
  const fields: string[] = []
  for (;;) {
    const field = r.past([DETERMINERS], () => r.take(fieldsOf(table)))
    if (!field) return fields.length ? fields : null
    fields.push(field.name)
    if (!r.sees(() => r.further(OR) && r.past([DETERMINERS], () => r.take(fieldsOf(table))))) return fields
    r.further(OR)
  }
}

/** “is handed over”, “is assigned to Rafi Demir”. */
export function readHandedOver(r: Reader, scope: Scope, said: Said): boolean {
  return (
    r.attempt(() => {
      r.take(BECAUSE_IT_IS)
      const clause = handedOver(scope.table)
      if (!clause) return null
      const to = r.attempt(() => (r.take(HANDED_TO) ? readPerson(r, scope) : null))
      if (to !== null) {
        said.becomes = true
        said.add({ field: clause.field, op: 'is', value: to })
        return true
      }
      if (!r.take(HANDED_OVER)) return null
      said.on.add('changed')
      said.add(clause)
      return true
    }) ?? false
  )
}
