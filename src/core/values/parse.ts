import { isBlank } from './compare'
import { isDay, isInstant } from './dates'
import { type FieldDef, fieldOf, type Image, type Key, type RecordId, type Stored, type TableDef } from './tables'

/** Something wrong with a value that was given, and how to mend it. */
export interface ValueProblem {
  readonly code: 'unknown field' | 'wrong type' | 'not a choice' | 'required' | 'too long' | 'read only'
  /** JSON Pointer (RFC 6901) to the offending value. */
  readonly path: string
  readonly message: string
}

const MAX_TEXT = 1_000_000
const NUMBER = /^[+-]?(\d{1,131}(\.\d{0,100})?|\.\d{1,100})$/
/** The names of the fields that every table has and that are not given by hand. */
export const OWNED_BY_RAPPEL: readonly string[] = ['id', 'created_at', 'updated_at']

type Parsed = { value: Stored } | { wants: string }

const fail = (wants: string): Parsed => ({ wants })

function parseText(value: unknown): Parsed {
  return typeof value === 'string' ? { value: value.replaceAll('\u0000', '') } : fail('a text in quotes')
}

/** Most parts of a folder's path, and the longest of one. */
const MOST_FOLDERS = 20
const LONGEST_FOLDER = 120

/** A folder's path, its parts without the white space around them; none of them leads upwards. */
function parseFolder(value: unknown): Parsed {
  const parts =
    typeof value === 'string'
      ? value
          .replaceAll('\\', '/')
          .split('/')
          .map((part) => part.trim())
          .filter(Boolean)
      : []
  const isPath = parts.length > 0 && parts.length <= MOST_FOLDERS && parts.every((part) => part !== '.' && part !== '..' && part.length <= LONGEST_FOLDER && !/\p{Cc}/u.test(part))
  return isPath ? { value: parts.join('/') } : fail(`a folder, such as Certificates/2026: at most ${MOST_FOLDERS} names with / between, none of them ..`)
}

function parseNumber(value: unknown): Parsed {
  if (typeof value === 'number' && Number.isFinite(value)) return { value }
  if (typeof value === 'string' && NUMBER.test(value.trim())) {
    const text = value.trim()
    return { value: text.replace(/\D/g, '').length > 15 ? text : Number(text) }
  }
  return fail('a number, such as 1250 or 12.50')
}

function parseId(what: string) {
  return (value: unknown): Parsed => {
    const id = readId({}, value)
    return typeof id === 'number' && id > 0 ? { value: id } : fail(`the id (a whole number) of ${what}`)
  }
}

function parseLink(value: unknown, { key }: FieldDef): Parsed {
  const id = readId({ key }, value)
  return id === null ? fail(`the id (${KEY_WORDS[key ?? 'number']}) of a record`) : { value: id }
}

/** What an id is, in words. */
export const KEY_WORDS: Record<Key, string> = { number: 'a whole number', uuid: 'a UUID', text: 'a text' }

const UUID = /^[0-9a-f]{8}(-[0-9a-f]{4}){3}-[0-9a-f]{12}$/i

/** The longest text that is taken for an id, in characters; the database's indexes hold no much longer ones. */
const LONGEST_ID = 600

/** Reads the id of a record from outside, by the key of its table: whole numbers that PostgreSQL's bigint holds, also as text; UUIDs (RFC 9562); texts. Null for anything else. */
export function readId({ key }: Pick<TableDef, 'key'>, value: unknown): RecordId | null {
  if (key === 'uuid') return typeof value === 'string' && UUID.test(value) ? value.toLowerCase() : null
  if (key === 'text') return typeof value === 'string' && value !== '' && value.length <= LONGEST_ID && !value.includes('\u0000') ? value : null
  const id = typeof value === 'string' && /^-?\d{1,19}$/.test(value) ? BigInt(value) : typeof value === 'number' && Number.isSafeInteger(value) ? BigInt(value) : null
  if (id === null || id !== BigInt.asIntN(64, id)) return null
  return Number.isSafeInteger(Number(id)) ? Number(id) : String(id)
}

function parseTruth(value: unknown): Parsed {
  return typeof value === 'boolean' ? { value } : fail('true or false')
}

function parseDate(value: unknown): Parsed {
  return typeof value === 'string' && isDay(value) ? { value } : fail('a date written YYYY-MM-DD, such as 2026-03-31')
}

function parseInstant(value: unknown): Parsed {
  return typeof value === 'string' && isInstant(value) ? { value: new Date(value).toISOString() } : fail('a date-time with its offset (ISO 8601), such as 2026-03-31T09:00:00Z')
}

const PARSERS = {
  text: parseText,
  'long text': parseText,
  choice: parseText,
  email: parseText,
  phone: parseText,
  folder: parseFolder,
  number: parseNumber,
  money: parseNumber,
  'yes/no': parseTruth,
  date: parseDate,
  'date-time': parseInstant,
  person: parseId('a person'),
  link: parseLink,
  file: parseId('a file'),
} satisfies Record<FieldDef['type'], (value: unknown, field: FieldDef) => Parsed>

/**
 * Reads one value from outside (JSON) as a field's stored value.
 * Blank (null, or an empty text for anything but text) gives null.
 */
export function parseValue(field: FieldDef, value: unknown, path: string): { value: Stored } | { problem: ValueProblem } {
  if (value === null || value === undefined || (typeof value === 'string' && isBlank(value))) return { value: null }
  const parsed = PARSERS[field.type](value, field)
  if ('wants' in parsed) return { problem: { code: 'wrong type', path, message: `${field.label} takes ${parsed.wants}, not ${describe(value)}.` } }
  if (typeof parsed.value === 'string' && parsed.value.length > MAX_TEXT)
    return { problem: { code: 'too long', path, message: `${field.label} takes at most ${MAX_TEXT} characters; this has ${parsed.value.length}.` } }
  if (field.type === 'choice' && field.choices && !field.choices.includes(String(parsed.value)))
    return { problem: { code: 'not a choice', path, message: `${field.label} is one of ${field.choices.join(', ')}; ${describe(value)} is not among them.` } }
  return { value: parsed.value }
}

/**
 * Reads the fields of a record from outside (a JSON object), collecting every problem rather than the first only.
 * With `whole`, required fields without default or automatic number must be filled.
 */
export function parseRecord(table: TableDef, input: Readonly<Record<string, unknown>>, options: { whole: boolean }): { image: Image; problems: ValueProblem[] } {
  const image: Record<string, Stored> = {}
  const problems: ValueProblem[] = []
  for (const [name, value] of Object.entries(input)) {
    const path = `/${name.replaceAll('~', '~0').replaceAll('/', '~1')}`
    const field = fieldOf(table, name)
    if (!field) {
      const known = table.fields.map((f) => f.name).join(', ')
      problems.push({ code: 'unknown field', path, message: `${table.label} has no field ${JSON.stringify(name)}. Its fields are ${known}.` })
    } else if (OWNED_BY_RAPPEL.includes(name) && !(name === 'id' && options.whole && givesIds(table))) {
      problems.push({ code: 'read only', path, message: `${name} is kept by Rappel and cannot be given.` })
    } else if (field.readOnly) {
      problems.push({ code: 'read only', path, message: `${field.label} is worked out by the program that ${table.label} belongs to, and cannot be given.` })
    } else {
      const parsed = parseValue(field, value, path)
      if ('problem' in parsed) problems.push(parsed.problem)
      else if (field.required && isBlank(parsed.value)) problems.push(requiredProblem(field))
      else image[name] = parsed.value
    }
  }
  if (options.whole) problems.push(...missingFields(table, input))
  return { image, problems }
}

/** Whether whoever creates a record of a table gives its id. */
export const givesIds = ({ key }: Pick<TableDef, 'key'>): boolean => key === 'text'

function missingFields(table: TableDef, input: Readonly<Record<string, unknown>>): ValueProblem[] {
  return table.fields.filter((f) => f.required && f.default === undefined && !f.number && !(f.name in input)).map(requiredProblem)
}

function requiredProblem(field: FieldDef): ValueProblem {
  return { code: 'required', path: `/${field.name}`, message: `${field.label} must be filled.` }
}

function describe(value: unknown): string {
  const text = JSON.stringify(value) ?? String(value)
  return text.length > 60 ? `${text.slice(0, 57)}…` : text
}
