import type { Clause, Operand } from '../document/condition'
import { must } from '../must'
import { checkPath, pathWords } from '../paths/path'
import { isBlank } from '../values/compare'
import { formatStored } from '../values/format'
import type { FieldType, Organisation, Schema, Stored, TableDef } from '../values/tables'
import { OPERATORS } from './operators'

/** What sentences are written with: the tables, the organisation's ways, and people's names by e-mail. */
export interface Wording {
  readonly schema: Schema
  readonly organisation: Organisation
  readonly names: ReadonlyMap<string, string>
}

/** A clause as words, such as "booked is at least 40". */
export function clauseSentence(clause: Clause, table: TableDef, wording: Wording): string {
  const checked = checkPath(wording.schema, table, clause.field)
  const field = 'problem' in checked ? clause.field || '…' : pathWords(checked)
  const type = 'problem' in checked ? 'text' : checked.field.type
  const operator = OPERATORS[clause.op]
  return `${field} ${operator.words(operandWords(clause.value, type, table, wording), operandWords(clause.to, type, table, wording))}`
}

/** The right side of a clause as words. */
export function operandWords(operand: Operand | undefined, type: FieldType, table: TableDef, wording: Wording): string {
  if (operand === undefined) return '…'
  if (operand === null || isBlank(operand)) return 'blank'
  if (Array.isArray(operand)) return operand.map((item) => operandWords(item, type, table, wording)).join(' or ')
  if (typeof operand !== 'object') return literalWords(operand, type, wording)
  if ('field' in operand) {
    const checked = checkPath(wording.schema, table, operand.field)
    return `its ${'problem' in checked ? operand.field : pathWords(checked)}`
  }
  if ('today' in operand) return todayWords(operand.today)
  if ('changedBy' in operand) return 'whoever made the change'
  if ('formula' in operand) return `= ${operand.formula}`
  const [unit, count] = must(Object.entries(operand)[0])
  return `${count} ${count === 1 ? unit.slice(0, -1) : unit}`
}

function todayWords(days: number): string {
  if (days === 0) return 'today'
  const count = `${Math.abs(days)} ${Math.abs(days) === 1 ? 'day' : 'days'}`
  return days > 0 ? `${count} from today` : `${count} ago`
}

function literalWords(value: Stored, type: FieldType, wording: Wording): string {
  if (type === 'person') return wording.names.get(String(value).toLowerCase()) ?? String(value)
  try {
    return formatStored(type, value, wording.organisation)
  } catch {
    return String(value) // a half-typed date or number reads as it was typed
  }
}
