import type { BringIn } from '../document/document'
import { type Schema, targetOf } from '../values/tables'
import type { Template } from './surroundings'

/** A repetition in a text, over a list that goes by one name. */
const REPEATED = /\{%-?\s*for\s+\w+\s+in\s+([a-z_]\w*)\b(?!\.)/g

/** The lists that a template goes through by the names of their tables, as a workflow that sends it brings them in: the records that point at the one it is about. */
export function listsOfTemplate({ table, body }: Pick<Template, 'table' | 'body'>, schema: Schema): BringIn[] {
  const names = new Set([...body.matchAll(REPEATED)].map((found) => found[1] ?? ''))
  return [...names].flatMap((name) => {
    const link = schema.get(name)?.fields.find((field) => field.type === 'link' && targetOf(field) === table)
    return link && name !== 'person' ? [{ name, list: `${name}.${link.name}` }] : []
  })
}
