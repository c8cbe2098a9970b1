import { must } from '../must'
import { chained } from '../values/naming'
import { everyTableFields, type FieldDef, fieldOf, type Image, idFrom, type Schema, type Stored, type TableDef, targetOf } from '../values/tables'
import type { Lookups } from './lookups'

/** How many links a path may follow. */
export const MAX_HOPS = 3

/** A path that was checked against the tables: the field it ends at, and the links on the way. */
export interface CheckedPath {
  readonly text: string
  readonly table: TableDef
  readonly links: readonly FieldDef[]
  readonly field: FieldDef
}

/** Checks a dotted path from a table's record, such as `owner.manager.email`; gives the sentence that says what is wrong where it is. */
export function checkPath(schema: Schema, table: TableDef, text: string): CheckedPath | { problem: string } {
  const names = text.split('.')
  if (names.length > MAX_HOPS + 1) return { problem: `${text} follows ${names.length - 1} links; at most ${MAX_HOPS} are followed.` }
  const links: FieldDef[] = []
  let at = table
  for (const [i, name] of names.entries()) {
    const field = fieldOf(at, name)
    if (!field) return unknown(at, name)
    if (i === names.length - 1) return { text, table, links, field }
    const target = targetOf(field)
    const next = target ? schema.get(target) : undefined
    if (!next) return { problem: `${field.label} in ${text} is not a link, so nothing can follow it.` }
    links.push(field)
    at = next
  }
  return { problem: 'The path is empty.' }
}

/** That a table does not have a field; the sentence is made when it is read, for most who ask want to know only whether there is one. */
const unknown = (table: TableDef, name: string) => ({
  get problem() {
    return unknownField(table, name)
  },
})

/** The sentence for a field that a table does not have, naming the nearest one it has. */
export function unknownField(table: TableDef, name: string): string {
  if (table.none !== undefined) return table.none
  if (name === '') return `No field of ${table.label} is chosen yet.`
  const names = [...table.fields, ...everyTableFields(table)].map((f) => f.name)
  const near = nearest(name, names)
  return `${table.label} has no field ${JSON.stringify(name)}${near ? `; did you mean ${near}?` : `. It has ${names.join(', ')}.`}`
}

/** The known word nearest to a mistyped one, if any is near enough to be meant (a third of its letters differ at most). */
export function nearest(word: string, known: readonly string[]): string | undefined {
  let best: string | undefined
  let bestDistance = Math.max(1, Math.floor(word.length / 3)) + 1
  for (const candidate of known) {
    const distance = editDistance(word.toLowerCase(), candidate.toLowerCase())
    if (distance < bestDistance) {
      best = candidate
      bestDistance = distance
    }
  }
  return best
}

function editDistance(a: string, b: string): number {
  let row = Array.from({ length: b.length + 1 }, (_, i) => i)
  for (let i = 1; i <= a.length; i++) {
    const next = [i]
    for (let j = 1; j <= b.length; j++) {
      const substitute = must(row[j - 1]) + (a[i - 1] === b[j - 1] ? 0 : 1)
      next.push(Math.min(must(row[j]) + 1, must(next[j - 1]) + 1, substitute))
    }
    row = next
  }
  return must(row[b.length])
}

/** Compiles a checked path to a function that reads it from an image; a blank link makes everything beyond it blank. */
export function compilePath(path: CheckedPath): (image: Image | null, lookups: Lookups) => Stored | undefined {
  const last = path.field.name
  if (path.links.length === 0) return (image) => image?.[last]
  const steps = path.links.map((link) => ({ name: link.name, table: must(targetOf(link)) }))
  return (image, lookups) => {
    let at = image
    for (const step of steps) {
      const id = idFrom(at?.[step.name])
      if (id === null) return null
      at = lookups.record(step.table, id)
    }
    return at?.[last]
  }
}

/** A path in words: `owner.team` is "owner's team". */
export function pathWords(path: CheckedPath): string {
  return chained([...path.links, path.field].map((f) => f.label.toLowerCase()))
}
