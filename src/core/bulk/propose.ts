import { OWN_ROOTS } from '../paths/roots'
import { isAddress } from '../recipients/address'
import { unaccented } from '../values/letters'
import { OWNED_BY_RAPPEL } from '../values/parse'
import { plainDay, plainInstant, plainNumber, type Ways } from '../values/plain'
import type { FieldDef, FieldType, TableDef } from '../values/tables'
import type { Raw } from './cell'
import { recogniseDates, recogniseDecimal } from './ways'

/** Distinct values that are kept of a column; one with more is no list of choices. */
const MOST_DISTINCT = 300
const MOST_CHOICES = 15
const LONG = 160

/** A text that is told apart from others only by its number: what stands before it, and how many digits it has. */
const NUMBERED = /^(\D{0,20}?)(\d{1,12})$/
const PHONE = /^\+?[\d\s()/.-]{6,24}$/
const TRUTHS = new Set(['yes', 'no', 'y', 'n', 'true', 'false', 'ja', 'nein', 'oui', 'non', 'si', 'sí'])

/** What all values of a column say of what it holds. */
export class Column {
  filled = 0
  private readonly values = new Map<string, number>()
  private readonly numbers: string[] = []
  private readonly dates: string[] = []
  private readonly hits = { number: 0, typedNumber: 0, money: 0, day: 0, instant: 0, email: 0, phone: 0, truth: 0, numbered: 0, long: 0 }
  /** What stands before the numbers, with their digits as zeros; two are enough to know that there is no one pattern. */
  private readonly prefixes = new Set<string>()
  private isDistinct = true

  constructor(readonly heading: string) {}

  /** Takes in one more cell. */
  add(raw: Raw): void {
    if (raw === null || (typeof raw === 'string' && raw.trim() === '')) return
    this.filled++
    if (typeof raw === 'boolean') this.hits.truth++
    else if (typeof raw === 'object') this.hits[raw.wall.toISOString().slice(11, 19) === '00:00:00' ? 'day' : 'instant']++
    else if (typeof raw === 'number') this.addNumber(raw)
    else this.addText(raw.trim())
  }

  private addNumber(value: number): void {
    this.hits.typedNumber++
    this.note(String(value))
  }

  private addText(text: string): void {
    this.note(text)
    if (text.length > LONG || text.includes('\n')) this.hits.long++
    if (plainNumber(text, '.') !== null || plainNumber(text, ',') !== null) {
      this.hits.number++
      if (/\p{Sc}/u.test(text) || /[.,]\d\d$/.test(text)) this.hits.money++
      if (this.numbers.length < 20_000) this.numbers.push(text)
    }
    if (/\d/.test(text) && (plainDay(text, 'dmy') ?? plainDay(text, 'mdy')) !== null) this.hits.day++
    else if (/\d:\d\d/.test(text) && (plainInstant(text, 'dmy', 'UTC') ?? plainInstant(text, 'mdy', 'UTC')) !== null) this.hits.instant++
    if (/\d[./-]\d/.test(text) && this.dates.length < 20_000) this.dates.push(text)
    if (text.includes('@') && isAddress(text)) this.hits.email++
    if (PHONE.test(text) && text.replaceAll(/\D/g, '').length >= 6) this.hits.phone++
    if (TRUTHS.has(text.toLowerCase())) this.hits.truth++
    const numbered = NUMBERED.exec(text)
    if (numbered?.[1]) {
      this.hits.numbered++
      if (this.prefixes.size < 2) this.prefixes.add(`${numbered[1]}${'0'.repeat(numbered[2]?.length ?? 1)}`)
    }
  }

  private note(text: string): void {
    const known = this.values.get(text)
    if (known !== undefined) this.isDistinct = false
    if (known !== undefined || this.values.size < MOST_DISTINCT) this.values.set(text, (known ?? 0) + 1)
  }

  /** Distinct values, at most three hundred. */
  distinct(): string[] {
    return [...this.values.keys()]
  }

  /** The most frequent values with how often each is there. */
  frequent(most: number): [value: string, times: number][] {
    return [...this.values].sort(([, a], [, b]) => b - a).slice(0, most)
  }

  /** What the column holds, where a share of nearly all says so. */
  type(): FieldType {
    const { filled, hits } = this
    const all = (n: number) => filled > 0 && n >= filled * 0.98
    if (all(hits.truth)) return 'yes/no'
    if (all(hits.email)) return 'email'
    if (all(hits.day)) return 'date'
    if (all(hits.instant + hits.day) && hits.instant > 0) return 'date-time'
    if (all(hits.number + hits.typedNumber)) {
      if (/phone|tel|mobile|fax/i.test(this.heading)) return 'phone'
      return hits.money >= filled * 0.9 || /price|amount|cost|total|fee|fare|value|salary|budget/i.test(this.heading) ? 'money' : 'number'
    }
    if (all(hits.phone)) return 'phone'
    if (hits.long > filled * 0.05) return 'long text'
    return this.choices() ? 'choice' : 'text'
  }

  /** The values as choices, the most frequent first; null where there are too many for that, or they hardly repeat. */
  choices(): string[] | null {
    const { size } = this.values
    if (size < 2 || size > MOST_CHOICES || this.filled < size * 3 || [...this.values.keys()].some((v) => v.length > 60)) return null
    return this.frequent(MOST_CHOICES).map(([value]) => value)
  }

  /** The pattern of an automatic number, `CL-{0000}`, where all values are one text with a number after it, each another. */
  number(): string | null {
    if (this.filled < 2 || this.hits.numbered !== this.filled || this.prefixes.size !== 1 || !this.isDistinct) return null
    const [pattern = ''] = this.prefixes
    return pattern.replace(/0+$/, (zeros) => `{${zeros}}`)
  }

  /** Whether each value is there once. */
  get tellsApart(): boolean {
    return this.isDistinct && this.filled > 0
  }

  /** How the column writes numbers and dates. */
  ways(otherwise: Ways): Ways {
    return { decimal: recogniseDecimal(this.numbers, otherwise.decimal), dates: recogniseDates(this.dates, otherwise.dates) }
  }
}

/** A name as tables and fields have it: small letters, digits and _. */
export function snakeName(text: string, otherwise: string): string {
  const plain = unaccented(text)
    .replaceAll(/[^a-z0-9]+/g, '_')
    .replaceAll(/^_+|_+$/g, '')
    .slice(0, 50)
  return /^[a-z]/.test(plain) ? plain : plain ? `${otherwise}_${plain}` : otherwise
}

/** One of what a name tells several of, as English makes it, and none of the names that Rappel uses itself: one of `changes` is a `change_entry`. */
export function singularOf(name: string): string {
  const one = inEnglish(name)
  return OWN_ROOTS.includes(one) ? `${one}_entry` : one
}

const inEnglish = (name: string): string =>
  /ies$/.test(name)
    ? name.replace(/ies$/, 'y')
    : /(ss|us|is)$/.test(name)
      ? `${name}_record`
      : /(x|ch|sh|ss)es$/.test(name)
        ? name.replace(/es$/, '')
        : /s$/.test(name)
          ? name.replace(/s$/, '')
          : `${name}_record`

/** What a column was found to name: the records of another table, or people. */
export type Names = { readonly type: 'person' } | { readonly type: 'link'; readonly table: string }

/** Proposes a table for a file: its fields by what all their values say, its title by what tells rows apart, its owner the first field of people. */
export function proposeTable(label: string, columns: readonly Column[], names: ReadonlyMap<Column, Names>): TableDef {
  const taken = new Set(OWNED_BY_RAPPEL)
  const fields = columns.map((column, i): FieldDef => {
    let name = snakeName(column.heading, `field_${i + 1}`)
    while (taken.has(name)) name = `${name.slice(0, 50)}_${i + 1}`
    taken.add(name)
    const base = { name, label: column.heading || `Field ${i + 1}` }
    const named = names.get(column)
    if (named) return { ...base, ...named }
    const number = column.number()
    if (number) return { ...base, type: 'text', number }
    const type = column.type()
    return type === 'choice' ? { ...base, type, choices: column.choices() ?? [] } : { ...base, type }
  })
  const isText = (f: FieldDef) => f.type === 'text' || f.type === 'email'
  const title = fields.find((f) => f.number) ?? fields.find((f, i) => isText(f) && columns[i]?.tellsApart) ?? fields.find((f) => f.type === 'text') ?? fields[0]
  const owner = fields.find((f) => f.type === 'person')
  const name = snakeName(label, 'table')
  return { name, label, singular: singularOf(name), titleField: title?.name ?? '', ...(owner ? { ownerField: owner.name } : {}), fields }
}
