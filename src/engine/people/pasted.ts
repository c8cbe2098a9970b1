import { parse } from 'csv-parse/sync'
import { plainName } from '@/core/bulk/columns'
import { faultOf } from '@/core/must'
import { addressKey, isAddress } from '@/core/recipients/address'
import { mailboxesIn } from '@/core/recipients/mailboxes'
import { capital } from '@/core/values/naming'
import { recogniseDelimiter } from '../bulk/files/csv'
import { Unreadable } from '../bulk/files/rows'

/** Most people that are read at once. */
export const MOST_PEOPLE = 2_000

/** Characters by which it is told what stands between cells, and most of a row. */
const SAMPLE = 20_000
const LONGEST_ROW = 10_000

/** Rows by which columns without headings are told apart. */
const LOOKED_AT = 50

/** Most characters of a name, a team or a number. */
const LONGEST = 200

/** Somebody as a pasted row has them: what the row says nothing of is absent. The manager is an e-mail or a name. */
export interface PastedPerson {
  /** As a spreadsheet counts. */
  readonly row: number
  readonly email: string
  readonly first_name?: string
  readonly last_name?: string
  readonly phone?: string
  readonly team?: string
  readonly manager?: string
}

/** What was pasted: people, rows that are none with why, and headings that mean nothing here. */
export interface Pasted {
  readonly people: readonly PastedPerson[]
  readonly problems: readonly { readonly row: number; readonly message: string }[]
  readonly leftOut: readonly string[]
}

type Column = Exclude<keyof PastedPerson, 'row'> | 'name'

/** What columns of people are headed in spreadsheets and directories (common practice). */
const HEADINGS: Readonly<Record<Column, readonly string[]>> = {
  email: ['email', 'emailaddress', 'mail', 'mailaddress', 'address', 'username', 'userprincipalname', 'login'],
  name: ['name', 'fullname', 'displayname', 'person', 'employee', 'who'],
  first_name: ['firstname', 'first', 'givenname', 'forename'],
  last_name: ['lastname', 'last', 'surname', 'familyname'],
  phone: ['phone', 'telephone', 'phonenumber', 'mobile', 'tel'],
  team: ['team', 'department', 'group', 'unit', 'division'],
  manager: ['manager', 'reportsto', 'supervisor', 'linemanager', 'boss'],
}

const columnOf = (heading: string): Column | null => COLUMNS.find((column) => HEADINGS[column].includes(plainName(heading))) ?? null
const COLUMNS: readonly Column[] = ['email', 'name', 'first_name', 'last_name', 'phone', 'team', 'manager']

/**
 * Reads people from text: rows of a spreadsheet, with a row of headings or without, or a list of addresses as mail programs write them (RFC 5322, section 3.4).
 * @throws Unreadable where it is nothing of the kind, or too much
 */
export function readPasted(text: string): Pasted {
  const list = text.includes('\t') ? [] : mailboxesIn(text)
  if (list.length > 0 && list.length <= MOST_PEOPLE && list.every(({ address }) => isAddress(address.trim())))
    return gathered(list.map(({ address, name }, i) => ({ row: i + 1, cells: { email: address, name: name ?? '' } })))
  return gathered(...rowsOf(text))
}

interface Row {
  readonly row: number
  readonly cells: Partial<Record<Column, string>>
}

/** The rows of a table, by what their columns are, and the headings that are left out. */
function rowsOf(text: string): [Row[], string[]] {
  const table = tableIn(text)
  const [first = [], ...others] = table
  const isHeaded = !first.some((cell) => isAddress(cell)) && first.some((cell) => columnOf(cell) !== null)
  const columns = isHeaded ? first.map(columnOf) : guessed(table)
  if (!columns.includes('email')) throw new Unreadable('No column of e-mail addresses is among these. Head one “E-mail”, or paste addresses alone.')
  const rows = (isHeaded ? others : table).map((cells, i) => ({ row: i + (isHeaded ? 2 : 1), cells: cellsBy(columns, cells) }))
  return [rows, isHeaded ? first.filter((heading, i) => heading !== '' && columns[i] === null) : []]
}

/** The cells of a text, whatever stands between them. @throws Unreadable where it is no rows, or one is too long to be somebody */
function tableIn(text: string): string[][] {
  if (text.split(/\r\n?|\n/).some((line) => line.length > LONGEST_ROW))
    throw new Unreadable(`These are no rows of people: a row has more than ${LONGEST_ROW.toLocaleString('en-GB')} characters.`)
  const [delimiter] = text.includes('\t') ? ['\t'] : recogniseDelimiter(text.slice(0, SAMPLE))
  try {
    const rows = parse(text, { delimiter, relax_column_count: true, relax_quotes: true, skip_empty_lines: true, bom: true, trim: true, max_record_size: LONGEST_ROW })
    return rows.map((row: readonly unknown[]) => row.map(String))
  } catch (error) {
    throw new Unreadable(`These are no rows of people: ${faultOf(error)}`)
  }
}

/** What columns without headings are: the one with the most addresses, and before any other the first that has letters. */
function guessed(table: readonly (readonly string[])[]): (Column | null)[] {
  const width = Math.max(0, ...table.map((row) => row.length))
  const places = Array.from({ length: width }, (_, i) => i)
  const addresses = places.map((i) => table.slice(0, LOOKED_AT).filter((row) => isAddress(row[i] ?? '')).length)
  const most = Math.max(...addresses)
  const email = most > 0 ? addresses.indexOf(most) : -1
  const name = places.find((i) => i !== email && table.some((row) => /\p{L}/u.test(row[i] ?? '')))
  return places.map((i) => (i === email ? 'email' : i === name ? 'name' : null))
}

/** The cells of a row by what they are; the first of several columns that are the same. */
function cellsBy(columns: readonly (Column | null)[], cells: readonly string[]): Row['cells'] {
  const by: Partial<Record<Column, string>> = {}
  columns.forEach((column, i) => {
    const cell = (cells[i] ?? '').trim()
    if (column && cell && by[column] === undefined) by[column] = cell
  })
  return by
}

function gathered(rows: readonly Row[], leftOut: readonly string[] = []): Pasted {
  if (rows.length > MOST_PEOPLE)
    throw new Unreadable(`These are ${rows.length.toLocaleString('en-GB')} rows; at most ${MOST_PEOPLE.toLocaleString('en-GB')} people are added at once.`)
  const people: PastedPerson[] = []
  const problems: { row: number; message: string }[] = []
  const seen = new Map<string, number>()
  for (const { row, cells } of rows) {
    const { email = '', name = '', ...rest } = cells
    const address = email.trim()
    const message = problemOf(cells, address, seen)
    if (message) {
      problems.push({ row, message })
      continue
    }
    seen.set(addressKey(address), row)
    people.push({ row, ...named(name), ...rest, email: address })
  }
  return { people, problems, leftOut }
}

/** Why a row is nobody, as a sentence; null where it is somebody. */
function problemOf(cells: Row['cells'], address: string, seen: ReadonlyMap<string, number>): string | null {
  if (address === '') return 'It has no e-mail address.'
  if (!isAddress(address)) return `“${address.slice(0, 80)}” is not an e-mail address.`
  const before = seen.get(addressKey(address))
  if (before !== undefined) return `${address} stands in row ${before} already.`
  const tooLong = Object.values(cells).find((cell) => cell.length > LONGEST)
  return tooLong ? `“${tooLong.slice(0, 40)}…” has ${tooLong.length} characters; at most ${LONGEST} are kept.` : null
}

/** First and last name of a whole one: “Okafor, Ines” has the last name first. */
function named(name: string): Pick<PastedPerson, 'first_name' | 'last_name'> {
  const plain = name.trim()
  if (plain === '') return {}
  const [last = '', first] = plain.split(/\s*,\s*/, 2)
  if (first) return { first_name: first, last_name: last }
  const [one = '', ...others] = plain.split(/\s+/)
  return { first_name: one, ...(others.length ? { last_name: others.join(' ') } : {}) }
}

/** What somebody is called of whom there is only an address: “ines.okafor@…” is Ines Okafor. */
export const nameFromAddress = (email: string): { first_name: string; last_name: string | null } => {
  const [first = email, ...others] = email
    .slice(0, email.lastIndexOf('@'))
    .split(/[._+-]+/)
    .filter(Boolean)
    .map(capital)
  return { first_name: first, last_name: others.join(' ') || null }
}
