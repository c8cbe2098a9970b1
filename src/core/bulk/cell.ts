import { parseValue, type ValueProblem } from '../values/parse'
import { CLOCK, plainDay, plainInstant, plainNumber, type Ways } from '../values/plain'
import type { FieldDef, Stored } from '../values/tables'

/** A cell as a file gives it; a moment without a zone is a spreadsheet's, which shows it as it stands. */
export type Raw = string | number | boolean | { readonly wall: Date } | null

/** How a file's cells are read: its ways, the organisation's zone, and who and what a text may mean. */
export interface Reading {
  readonly ways: Ways
  /** IANA time zone. */
  readonly zone: string
  /** The id of the record or person that a text names; `several` where it may be more than one, null where it is none. */
  readonly find: (table: string, text: string) => number | string | 'several' | null
}

const TRUE = new Set(['yes', 'y', 'true', 't', '1', 'x', 'on', 'ja', 'j', 'oui', 'o', 'si', 'sí', 's', 'sim', 'wahr', 'vrai', 'vero'])
const FALSE = new Set(['no', 'n', 'false', 'f', '0', 'off', 'nein', 'non', 'não', 'nao', 'falsch', 'faux', 'falso', 'nej', 'nee'])

/** What a spreadsheet's moment shows, as a text that this module reads. */
function wallText(wall: Date, type: FieldDef['type']): string {
  const iso = wall.toISOString()
  return type === 'date-time' ? iso.slice(0, 19).replace('T', ' ') : type === 'date' || iso.slice(11, 19) === '00:00:00' ? iso.slice(0, 10) : iso.slice(0, 16).replace('T', ' ')
}

const problem = (field: FieldDef, code: ValueProblem['code'], message: string): { problem: ValueProblem } => ({ problem: { code, path: `/${field.name}`, message } })

/** Reads a cell as a field's stored value; blank is null. */
export function readCell(field: FieldDef, raw: Raw, reading: Reading): { value: Stored } | { problem: ValueProblem } {
  if (raw === null || (typeof raw === 'string' && raw.trim() === '')) return { value: null }
  const text = typeof raw === 'object' ? wallText(raw.wall, field.type) : String(raw)
  const wrong = (wants: string) => problem(field, 'wrong type', `${field.label} takes ${wants}, not ${JSON.stringify(text.slice(0, 60))}.`)
  switch (field.type) {
    case 'number':
    case 'money': {
      const number = typeof raw === 'number' ? String(raw) : plainNumber(text, reading.ways.decimal)
      return number === null ? wrong(`a number, written with ${reading.ways.decimal === '.' ? 'a point' : 'a comma'} before decimals`) : parseValue(field, number, `/${field.name}`)
    }
    case 'yes/no': {
      const word = text.trim().toLowerCase()
      return TRUE.has(word) ? { value: true } : FALSE.has(word) ? { value: false } : wrong('yes or no')
    }
    case 'date': {
      const day = plainDay(text.replace(CLOCK, ''), reading.ways.dates)
      return day === null ? wrong(`a date, ${DATE_WORDS[reading.ways.dates]}`) : { value: day }
    }
    case 'date-time': {
      const moment = plainInstant(text, reading.ways.dates, reading.zone)
      return moment === null ? wrong(`a date and time, ${DATE_WORDS[reading.ways.dates]}`) : { value: moment }
    }
    case 'choice': {
      const same = field.choices?.find((c) => c === text.trim()) ?? field.choices?.find((c) => c.toLowerCase() === text.trim().toLowerCase())
      return parseValue(field, same ?? text.trim(), `/${field.name}`)
    }
    case 'person':
    case 'link':
      return readLink(field, text.trim(), reading)
    default:
      return parseValue(field, unguarded(text), `/${field.name}`)
  }
}

const DATE_WORDS = { ymd: 'the year first', dmy: 'the day before the month', mdy: 'the month before the day' } as const

function readLink(field: FieldDef, text: string, { find }: Reading) {
  const found = find(field.type === 'person' ? 'person' : (field.table ?? ''), text)
  const who = field.type === 'person' ? 'person' : 'record'
  if (found === null) return problem(field, 'wrong type', `${field.label}: there is no ${who} called ${JSON.stringify(text.slice(0, 60))}.`)
  if (found === 'several')
    return problem(field, 'wrong type', `${field.label}: ${JSON.stringify(text.slice(0, 60))} may be several; give ${who === 'person' ? 'the e-mail' : 'the id'}.`)
  return { value: found }
}

const FORMULA = /^[=+\-@\t\r]/

/** A text that a spreadsheet would take for a formula, so that it does not (OWASP, CSV injection: an apostrophe before it). */
export const guarded = (text: string): string => (FORMULA.test(text) ? `'${text}` : text)

/** A text without that guard. */
export const unguarded = (text: string): string => (text.startsWith("'") && FORMULA.test(text.slice(1)) ? text.slice(1) : text)
