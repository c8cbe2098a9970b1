import { ALL_OF_CHANGE } from '../cues/cue'
import { must } from '../must'
import { checkPath, MAX_HOPS, nearest, unknownField } from '../paths/path'
import type { Roots } from '../paths/roots'
import { fieldOf, type Schema, type TableDef } from '../values/tables'

const LIST_PARTS = ['size', 'first', 'last']

/** Checks a placeholder's path; gives the sentence that says what is wrong, or null. */
export function checkPlaceholder(
  names: readonly string[],
  table: TableDef,
  schema: Schema,
  roots: Roots,
  recipients: readonly TableDef[],
  changeParts: readonly string[] = ALL_OF_CHANGE,
): string | null {
  const [name, ...rest] = names
  const text = `{{ ${names.join('.')} }}`
  if (name === undefined || name === 'link' || name === 'why') return null
  if (name === 'change') return checkChange(rest, text, schema, changeParts)
  if (name === 'recipient') return checkRecipient(rest, text, recipients)
  const root = roots.get(name)
  if (root?.kind === 'record') return checkRecordPath(rest, text, root.table, schema)
  if (root?.kind === 'list') return rest.length && !LIST_PARTS.includes(must(rest[0])) ? `${text}: ${name} is a list; go through it with {% for entry in ${name} %}.` : null
  if (root) return null
  if (fieldOf(table, name)) return `${text} needs to say whose field it is: write {{ ${table.singular}.${names.join('.')} }}.`
  if (table.none !== undefined && (name === 'record' || name === 'before' || name === table.singular)) return `${text}: ${table.none}`
  const known = [...roots.keys(), ...(changeParts.length ? ['change'] : []), 'recipient', 'link', 'why']
  const near = nearest(name, known)
  return `${text} starts with a name that is not known here.${near ? ` Did you mean ${near}?` : ''} Placeholders start with ${known.join(', ')}.`
}

function checkRecordPath(rest: readonly string[], text: string, table: TableDef, schema: Schema): string | null {
  if (rest.length === 0) return null
  if (rest.length > MAX_HOPS + 1) return `${text} follows more than ${MAX_HOPS} links.`
  const checked = checkPath(schema, table, rest.join('.'))
  return 'problem' in checked ? `${text}: ${checked.problem}` : null
}

function checkChange(rest: readonly string[], text: string, schema: Schema, parts: readonly string[]): string | null {
  const [part, ...further] = rest
  if (parts.length === 0) return `${text}: nothing has changed here, since the workflow goes by the clock. Its moment is {{ tick.at }}.`
  if (part === undefined) return `${text} prints nothing by itself. Use change.${parts.join(', change.')}.`
  if (!parts.includes(part)) return `${text}: ${parts === ALL_OF_CHANGE ? 'a change' : 'here change'} has ${parts.join(', ')}, not ${part}.`
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
