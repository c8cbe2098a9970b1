import type { TableDef } from './tables'

/** Begin with a vowel that is heard, though it is not written so, and the other way round (common practice of English). */
const HEARD_VOWEL = /^(hour|honest|honou?r|heir)/i
const HEARD_CONSONANT = /^(uni([^nm]|$)|use|usage|user|util|eu|ewe|one\b|once)/i

/** A noun with its article, as it is heard: "a claim", "an item", "an hour", "a unit". */
export function withArticle(noun: string): string {
  const isVowel = HEARD_VOWEL.test(noun) || (/^[aeiou]/i.test(noun) && !HEARD_CONSONANT.test(noun))
  return `${isVowel ? 'an' : 'a'} ${noun}`
}

/** A name with the ending that says whose: "Ann’s", "the Directors’". */
export function possessive(name: string): string {
  return /s$/i.test(name) ? `${name}’` : `${name}’s`
}

/** Names that lead from one to the next: "owner’s manager’s email". */
export function chained(names: readonly string[]): string {
  return names.map((name, i) => (i < names.length - 1 ? possessive(name) : name)).join(' ')
}

/** A path as words where no labels are known: `owner.first_name` is "owner’s first name". */
export const spokenPath = (path: string): string => chained(path.split('.').map((name) => name.replaceAll('_', ' ')))

/** A text with its first letter as at the beginning of a sentence. */
export const capital = (text: string): string => text.charAt(0).toUpperCase() + text.slice(1)

/** What one record of a table is called: "inspection", "seat order". */
export const nounOf = (table: Pick<TableDef, 'singular'>): string => table.singular.replaceAll('_', ' ')

/** What is the record’s, after "its": "its owner"; of people named by a deed "whoever it was added by". */
export function itsOwn(label: string, isPerson: boolean): string {
  return isPerson && / by$/.test(label) ? `whoever it was ${label}` : `its ${label}`
}
