import { checkPath, MAX_HOPS, nearest, unknownField } from '../paths/path'
import { fieldOf, type Schema, type TableDef } from '../values/tables'

const CHANGE_PARTS = ['kind', 'at', 'by', 'fields']

/** The names that a placeholder for records of a table can start with. */
export function placeholderRoots(table: TableDef): string[] {
  return [table.singular, 'record', 'before', 'change', 'recipient', 'link']
}

/** Checks a placeholder's path against the tables; gives the sentence that says what is wrong, or null. */
export function checkPlaceholder(names: readonly string[], table: TableDef, schema: Schema, recipients: readonly TableDef[]): string | null {
  const [root, ...rest] = names
  const text = `{{ ${names.join('.')} }}`
  if (root === undefined) return null
  if (root === 'link') return null
  if (root === 'change') return checkChange(rest, text, schema)
  if (root === 'recipient') return checkRecipient(rest, text, recipients)
  if (root === table.singular || root === 'record' || root === 'before') return checkRecordPath(rest, text, table, schema)
  if (fieldOf(table, root)) return `${text} needs to say whose field it is: write {{ ${table.singular}.${names.join('.')} }}.`
  const near = nearest(root, placeholderRoots(table))
  return `${text} starts with a name that is not known here.${near ? ` Did you mean ${near}?` : ''} Placeholders start with ${placeholderRoots(table).join(', ')}.`
}

function checkRecordPath(rest: readonly string[], text: string, table: TableDef, schema: Schema): string | null {
  if (rest.length === 0) return null
  if (rest.length > MAX_HOPS + 1) return `${text} follows more than ${MAX_HOPS} links.`
  const checked = checkPath(schema, table, rest.join('.'))
  return 'problem' in checked ? `${text}: ${checked.problem}` : null
}

function checkChange(rest: readonly string[], text: string, schema: Schema): string | null {
  const [part, ...further] = rest
  if (part === undefined) return `${text} prints nothing by itself. Use change.${CHANGE_PARTS.join(', change.')}.`
  if (!CHANGE_PARTS.includes(part)) return `${text}: a change has ${CHANGE_PARTS.join(', ')}, not ${part}.`
  const people = schema.get('person')
  return part === 'by' && people ? checkRecordPath(further, text, people, schema) : null
}

function checkRecipient(rest: readonly string[], text: string, recipients: readonly TableDef[]): string | null {
  const [name] = rest
  if (name === undefined || name === 'email' || name === 'name') return null
  if (recipients.some((t) => fieldOf(t, name))) return null
  const first = recipients[0]
  return `${text}: ${first ? unknownField(first, name) : 'a recipient that is an address has only email and name.'}`
}
