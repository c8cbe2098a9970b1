import type { Literal, Operand } from '../../document/condition'
import { NUMBER_WORDS } from '../../values/duration'
import { plainDay, plainInstant, plainNumber, waysOf } from '../../values/plain'
import type { FieldDef, FieldType } from '../../values/tables'
import { choicesOf } from './installation'
import { Lexicon } from './lexicon'
import { readPath, type Scope } from './paths'
import type { Reader } from './reader'
import { AGO, AND, BLANK, EMAIL_VERBS, IN, ITS, ME, OR, OTHERWISE, SET_VERBS, TASK_VERBS, THEN, TODAY, UNITS, WHOEVER, YES_NO } from './vocabulary'

/** What a value is read for. */
export type Wanted = Pick<FieldDef, 'type'> & Partial<FieldDef>

/** The right side of a clause: a literal of the field’s type, another field, a day, whoever made the change, or a formula. Null where none stands here. */
export function readOperand(r: Reader, scope: Scope, field: Wanted): Operand | null {
  return (
    r.attempt<{ is: Operand }>(() => {
      if (r.take(WHOEVER)) return { is: { changedBy: true } }
      const formula = readFormula(r)
      if (formula !== null) return { is: { formula } }
      const literal = readLiteral(r, scope, field)
      if (literal !== null) return { is: literal }
      if (field.type === 'date' || field.type === 'date-time') {
        const day = readToday(r)
        if (day !== null) return { is: { today: day } }
      }
      if (r.token?.kind === 'exact' || r.sees(() => r.take(ITS))) {
        const path = readPath(r, scope)
        if (path?.field) return { is: { field: path.path } }
      }
      return null
    })?.is ?? null
  )
}

/** A formula: everything behind “=”. */
export function readFormula(r: Reader): string | null {
  const token = r.token
  if (token?.kind !== 'sign' || token.key !== '=') return null
  const formula = r.text.slice(token.to).trim()
  r.at = r.tokens.length
  return formula
}

/** Days from today: “today”, “tomorrow”, “3 days ago”, “in 2 days”, “2 days from today”. */
export function readToday(r: Reader): number | null {
  const day = r.take(TODAY)
  if (day !== null) return day
  return r.attempt(() => {
    const isAhead = r.take(IN) !== null
    const days = readDays(r)
    if (days === null) return null
    const side = r.take(AGO)
    return side !== null ? days * side : isAhead ? days : null
  })
}

/** A count of days: “2 days”, “a week”. */
function readDays(r: Reader): number | null {
  const span = readSpan(r)
  return span && 'days' in span ? span.days : null
}

const A = new Lexicon([{ words: 'a', meant: 1, also: ['an', 'one'] }])
const SMALL = new Lexicon(NUMBER_WORDS.map((words, i) => ({ words, meant: i + 1 })))

/** A span of time as clauses have it: “5 days”, “an hour”, “2 weeks”; a unit alone is one of it. */
export function readSpan(r: Reader, bare = false): { minutes: number } | { hours: number } | { days: number } | null {
  return r.attempt(() => {
    const token = r.token
    const counted = r.take(A) ?? r.take(SMALL)
    const count = counted ?? (token?.kind === 'number' && /^\d{1,7}(?:\.\d+)?$/.test(token.text) ? Number(token.text) : bare ? 1 : null)
    if (count === null) return null
    if (counted === null && token?.kind === 'number') r.at++
    const unit = r.take(UNITS)
    if (unit === null) return null
    if (unit === 'minutes') return { minutes: count }
    return unit === 'hours' ? { hours: count } : { days: unit === 'weeks' ? count * 7 : count }
  })
}

/** A value of a field’s type, as the organisation writes it. Null where none stands here. */
export function readLiteral(r: Reader, scope: Scope, field: Wanted): Exclude<Literal, null> | null {
  const token = r.token
  if (!token) return null
  if (token.kind === 'quoted' && r.text.charAt(token.from) !== '{') {
    r.at++
    return token.text
  }
  switch (field.type) {
    case 'choice':
      return r.take(choicesOf(field))
    case 'person':
      return readPerson(r, scope)
    case 'yes/no':
      return r.take(YES_NO)
    case 'number':
    case 'money':
    case 'link':
    case 'file':
      return readNumber(r, scope)
    case 'date':
    case 'date-time':
      return readDate(r, scope, field.type)
    default:
      return readText(r)
  }
}

/** A person by name or address: the e-mail. */
export function readPerson(r: Reader, { words, installation }: Scope): string | null {
  if (installation.me !== null && r.take(ME)) return installation.me
  if (r.token?.kind === 'address') return r.tokens[r.at++]?.text ?? null
  const person = r.take(words.people)
  if (person === null) return null
  // "Ann Lee (ann@…)" where two have the same name
  return (
    r.attempt(() => {
      if (!r.sign('(')) return null
      const address = r.token?.kind === 'address' ? r.token.text : null
      r.at++
      return r.sign(')') ? address : null
    }) ?? person
  )
}

/** A number or an amount of money. */
export function readNumber(r: Reader, { installation }: Scope): number | string | null {
  const token = r.token
  if (token?.kind !== 'number') return null
  const plain = plainNumber(token.text, waysOf(installation.organisation.locale).decimal)
  if (plain === null) return null
  r.at++
  if (r.token?.key === installation.organisation.currency.toLowerCase()) r.at++
  return plain.replace(/\D/g, '').length > 15 ? plain : Number(plain)
}

const MONTHS_KEPT = new Map<string, Lexicon<number>>()

/** The months in a language, and in English. */
function monthsIn(locale: string): Lexicon<number> {
  const known = MONTHS_KEPT.get(locale)
  if (known) return known
  const entries = [locale, 'en-GB'].flatMap((l) =>
    (['long', 'short'] as const).flatMap((month) =>
      Array.from({ length: 12 }, (_, i) => ({ words: new Intl.DateTimeFormat(l, { month, timeZone: 'UTC' }).format(Date.UTC(2000, i, 15)), meant: i + 1 })),
    ),
  )
  const made = new Lexicon(entries)
  MONTHS_KEPT.set(locale, made)
  return made
}

const AT = new Lexicon([{ words: 'at', meant: true, also: ['um', 'à', 'kl', 'a las', 'alle'] }])

/** A day, or a moment in the organisation’s zone: ISO 8601, as the language writes it with numbers or with the month’s name. */
function readDate(r: Reader, { installation }: Scope, type: FieldType): string | null {
  const { locale, zone } = installation.organisation
  return r.attempt(() => {
    const day = readDayText(r, locale)
    if (day === null) return null
    const order = waysOf(locale).dates
    if (type === 'date') return plainDay(day, order)
    const time = r.attempt(() => {
      r.sign(',')
      r.take(AT)
      const token = r.token
      if (token?.kind !== 'number' || !/^\d{1,2}:\d{2}(:\d{2})?$/.test(token.text)) return null
      r.at++
      return token.text
    })
    return plainInstant(time === null ? day : `${day} ${time}`, order, zone)
  })
}

function readDayText(r: Reader, locale: string): string | null {
  const months = monthsIn(locale)
  const worded = r.attempt(() => {
    const dayFirst = r.token?.kind === 'number' ? bareNumber(r) : null
    if (dayFirst !== null) r.sign('.')
    const month = r.take(months)
    if (month === null) return null
    const day = dayFirst ?? bareNumber(r)
    r.sign(',', '.')
    const year = bareNumber(r)
    return day && year && year > 999 ? `${year}-${String(month).padStart(2, '0')}-${String(day).padStart(2, '0')}` : null
  })
  if (worded !== null) return worded
  const token = r.token
  if (token?.kind !== 'number' || !/[-/.]/.test(token.text)) return null
  r.at++
  return token.text.replace(/[.,]$/, '')
}

function bareNumber(r: Reader): number | null {
  const token = r.token
  if (token?.kind !== 'number' || !/^\d{1,4}$/.test(token.text)) return null
  r.at++
  return Number(token.text)
}

/** What ends a text that stands without quotes. */
const STOPS = [AND, OR, THEN, EMAIL_VERBS, SET_VERBS, TASK_VERBS, OTHERWISE]

/** A text: an address, or words up to where something else begins. */
function readText(r: Reader): string | null {
  const begin = r.token
  if (!begin || begin.kind === 'sign') return null
  let last = begin
  for (let n = 0; n < 12 && r.token; n++) {
    const { token } = r
    if ((token.kind === 'sign' && [',', ';', ')', '('].includes(token.key)) || (n > 0 && STOPS.some((stop) => r.sees(() => r.take(stop))))) break
    last = token
    r.at++
  }
  return r.text.slice(begin.from, last.to)
}

/** Several values: “New or In review”, “A, B or C”. */
export function readMany(r: Reader, scope: Scope, field: Wanted): (string | number)[] {
  const values: (string | number)[] = []
  for (;;) {
    const value = readLiteral(r, scope, field)
    if (typeof value !== 'string' && typeof value !== 'number') return values
    values.push(value)
    if (!r.sees(() => (r.sign(',') || r.take(OR)) && readLiteral(r, scope, field) !== null)) return values
    r.sign(',')
    r.take(OR)
  }
}

/** Whether nothing is said to stand here: “blank”. */
export const readBlank = (r: Reader): boolean => r.take(BLANK) !== null
