import { partsOf } from '../../must'
import { checkRooted, endTable, type RootDef } from '../../paths/roots'
import { nounOf } from '../../values/naming'
import { type FieldDef, fieldOf, type TableDef, targetOf } from '../../values/tables'
import { fieldsOf, type Installation, type Vocabulary } from './installation'
import { eitherNumber, Lexicon } from './lexicon'
import type { Reader } from './reader'
import { DETERMINERS, MANAGER, NEW, OF_ALONE, PREVIOUS } from './vocabulary'

/** Where words are read: the table that bare fields are of, the names that are known, and the installation's words. */
export interface Scope {
  readonly table: TableDef
  readonly roots: ReadonlyMap<string, RootDef>
  readonly installation: Installation
  readonly words: Vocabulary
  /** The entry that a repetition is at: what is said of “it” there is said of the entry. */
  readonly entry?: { readonly name: string; readonly table: TableDef }
}

/** A path that was read: its text, the field that it ends at (null for a whole record), and the record that it leads to, where it does. */
export interface ReadPath {
  readonly path: string
  readonly field: FieldDef | null
  readonly leadsTo: TableDef | null
}

/** Most links that words follow, one more than paths may have, so that what goes too far is said by the review. */
const MOST_LINKS = 4

/** A path in words: “owner”, “its passenger’s name”, “the manager of its owner”, “previous owner”; or exactly, in backticks. Null where none stands here. */
export function readPath(r: Reader, scope: Scope): ReadPath | null {
  return r.attempt(() => exactly(r, scope) ?? ofItself(r, scope, inWords(r, scope)) ?? turned(r, scope))
}

/** A path with “of the claim” behind it, which says whose it is. */
function ofItself(r: Reader, { table }: Scope, path: ReadPath | null): ReadPath | null {
  if (path) saysWhose(r, table, OF_ALONE)
  return path
}

/** “of the claim”, or with another word before it: whose something is, of the record itself. */
export const saysWhose = (r: Reader, table: TableDef, of: Lexicon<boolean>): boolean =>
  r.attempt(() => {
    if (!r.take(of)) return null
    while (r.take(DETERMINERS)) if (r.isDone) return null
    return r.take(ownNoun(table)) && !r.tokens[r.at - 1]?.whose ? true : null
  }) ?? false

function exactly(r: Reader, scope: Scope): ReadPath | null {
  const token = r.token
  if (token?.kind !== 'exact') return null
  r.at++
  const rooted = checkRooted(scope.installation.schema, scope.table, scope.roots, token.text)
  if ('problem' in rooted) return { path: token.text, field: null, leadsTo: null }
  return { path: token.text, field: rooted.path?.field ?? null, leadsTo: endTable(scope.installation.schema, rooted) ?? null }
}

function inWords(r: Reader, scope: Scope): ReadPath | null {
  while (r.take(DETERMINERS)) if (r.isDone) return null
  if (r.take(PREVIOUS)) return scope.roots.has('before') ? under(r, scope, scope.table, 'before.', 0) : null
  r.take(NEW)
  const { entry } = scope
  const ofEntry = entry && r.attempt(() => under(r, scope, entry.table, `${entry.name}.`, 0))
  return ofEntry ?? fromRoot(r, scope) ?? under(r, scope, scope.table, '', 0)
}

const rootsKept = new WeakMap<ReadonlyMap<string, RootDef>, Lexicon<string>>()

/** The names that paths can start at, as they are said. */
function rootsOf({ roots }: Scope): Lexicon<string> {
  const known = rootsKept.get(roots)
  if (known) return known
  const made = new Lexicon([...roots.keys()].filter((name) => name !== 'before').map((name) => ({ words: name.replaceAll('_', ' '), meant: name })))
  rootsKept.set(roots, made)
  return made
}

/** A path from a name: “the claim’s owner”, “booking’s passenger”; the names of the record itself are left out of it. */
function fromRoot(r: Reader, scope: Scope): ReadPath | null {
  const begin = r.at
  for (const { meant: name, end } of r.matches(rootsOf(scope))) {
    const root = scope.roots.get(name)
    if (root === undefined || fieldOf(scope.table, name)) continue
    const isWhose = r.tokens[end - 1]?.whose ?? false
    if (root.kind === 'record' && isWhose) {
      r.at = end
      const isOwn = root.table === scope.table && (name === scope.table.singular || name === 'record')
      const found = r.attempt(() => under(r, scope, root.table, isOwn ? '' : `${name}.`, 0))
      if (found) return found
      r.at = begin
    } else if (root.kind === 'value' || (root.kind === 'record' && root.table !== scope.table)) {
      r.at = end
      return { path: name, field: null, leadsTo: root.kind === 'record' ? root.table : null }
    }
  }
  return null
}

/** A path from the fields of a table on. */
function under(r: Reader, scope: Scope, table: TableDef, before: string, depth: number): ReadPath | null {
  const begin = r.at
  const found = r.matches(fieldsOf(table))
  for (const match of found) {
    const target = scope.installation.schema.get(targetOf(match.meant) ?? '')
    if (!r.tokens[match.end - 1]?.whose || !target || depth >= MOST_LINKS) continue
    r.at = match.end
    const further = r.attempt(() => under(r, scope, target, `${before}${match.meant.name}.`, depth + 1))
    if (further) return further
    r.at = begin
  }
  const [longest] = found
  if (!longest) return null
  const alike = found.filter((m) => m.end === longest.end)
  const { meant } = r.pick(
    begin,
    alike.map((m) => `${m.words} (${m.meant.name})`),
    alike,
  )
  r.at = longest.end
  return { path: before + meant.name, field: meant, leadsTo: scope.installation.schema.get(targetOf(meant) ?? '') ?? null }
}

/** Most words before “of” in a path that is turned round. */
const MOST_BEFORE_OF = 4

/** A path that is turned round: “the superintendent of its vessel”, “manager of the owner”. */
function turned(r: Reader, scope: Scope): ReadPath | null {
  while (r.take(DETERMINERS)) if (r.isDone) return null
  const begin = r.at
  const of = r.tokens.slice(begin, begin + MOST_BEFORE_OF + 1).findIndex((t) => t.key === 'of')
  if (of <= 0) return null
  r.at = begin + of
  if (!r.take(OF_ALONE)) return null
  const holder = readPath(r, scope)
  const after = r.at
  if (!holder?.leadsTo) return null
  r.at = begin
  const field = r.matches(fieldsOf(holder.leadsTo)).find((m) => m.end === begin + of)?.meant ?? (r.sees(() => r.take(MANAGER)) ? fieldOf(holder.leadsTo, 'manager') : undefined)
  if (!field) return null
  r.at = after
  return { path: `${holder.path}.${field.name}`, field, leadsTo: scope.installation.schema.get(targetOf(field) ?? '') ?? null }
}

/** A list that words name, as documents do: one that was brought in, or `table.link`, and of what record. */
export interface ReadList {
  /** As actions go through it where it is the record's own, or was brought in; null where it has to be brought in first. */
  readonly list: string | null
  /** As it is brought in. */
  readonly from: string
  /** The path to the record that it is of, where it is not the workflow's own. */
  readonly of: string | null
  readonly table: TableDef
}

const listsKept = new WeakMap<ReadonlyMap<string, RootDef>, Lexicon<string>>()

/** A list: “bookings”, “bookings of the sailing”, “contacts of its company”, “its company’s contacts”, or what was brought in. Null where none stands here. */
export function readList(r: Reader, scope: Scope): ReadList | null {
  return r.attempt(() => {
    const exact = r.token?.kind === 'exact' ? exactList(r, scope) : null
    if (exact) return exact
    while (r.take(DETERMINERS)) if (r.isDone) return null
    return broughtIn(r, scope) ?? whoseList(r, scope) ?? related(r, scope)
  })
}

function exactList(r: Reader, scope: Scope): ReadList | null {
  const text = r.token?.text ?? ''
  r.at++
  const root = scope.roots.get(text)
  if (root?.kind === 'list') return { list: text, from: text, of: null, table: root.table }
  const table = scope.installation.schema.get(partsOf(text)[0])
  return table ? { list: text, from: text, of: null, table } : null
}

function broughtIn(r: Reader, { roots }: Scope): ReadList | null {
  let lexicon = listsKept.get(roots)
  if (!lexicon) {
    const lists = [...roots].filter(([, root]) => root.kind === 'list')
    lexicon = new Lexicon(lists.map(([name]) => ({ words: name.replaceAll('_', ' '), meant: name, also: eitherNumber(name.replaceAll('_', ' ')) })))
    listsKept.set(roots, lexicon)
  }
  const name = r.take(lexicon)
  const root = name === null ? undefined : roots.get(name)
  return name !== null && root?.kind === 'list' ? { list: name, from: name, of: null, table: root.table } : null
}

/** “its company’s contacts”. */
function whoseList(r: Reader, scope: Scope): ReadList | null {
  return r.attempt(() => {
    const begin = r.at
    for (const { meant: link, end } of r.matches(fieldsOf(scope.table))) {
      const holder = scope.installation.schema.get(targetOf(link) ?? '')
      if (!holder || !r.tokens[end - 1]?.whose) continue
      r.at = end
      const found = pointingAt(r, scope, holder, link.name)
      if (found) return found
      r.at = begin
    }
    return null
  })
}

/** “bookings”, “bookings of the sailing”, “contacts of its company”. */
function related(r: Reader, scope: Scope): ReadList | null {
  const begin = r.at
  const matches = r.matches(scope.words.tables)
  for (const { meant: table, end } of matches) {
    r.at = end
    const held = r.attempt(() => (r.take(OF_ALONE) ? readHolder(r, scope) : null))
    const holder = held ?? { of: null, table: scope.table }
    const found = linkTo(r, begin, table, holder.table, holder.of)
    if (found) return found
    r.at = begin
  }
  return null
}

/** The record that a list is of: the workflow's own by its noun, or what a path leads to. */
function readHolder(r: Reader, scope: Scope): { of: string | null; table: TableDef } | null {
  const own = r.attempt(() => {
    while (r.take(DETERMINERS)) if (r.isDone) return null
    return r.take(ownNoun(scope.table)) ? { of: null, table: scope.table } : null
  })
  if (own && !r.tokens[r.at - 1]?.whose) return own
  const path = readPath(r, scope)
  return path?.leadsTo ? { of: path.path, table: path.leadsTo } : null
}

const nounsKept = new WeakMap<TableDef, Lexicon<true>>()

/** What a record of a table is called, as words to be read. */
export function ownNoun(table: TableDef): Lexicon<true> {
  const known = nounsKept.get(table)
  if (known) return known
  const made = new Lexicon([{ words: nounOf(table), meant: true as const, also: [...eitherNumber(nounOf(table)), ...eitherNumber(table.label), 'record'] }])
  nounsKept.set(table, made)
  return made
}

function pointingAt(r: Reader, scope: Scope, holder: TableDef, of: string): ReadList | null {
  const begin = r.at
  for (const { meant: table, end } of r.matches(scope.words.tables)) {
    r.at = end
    const found = linkTo(r, begin, table, holder, of)
    if (found) return found
  }
  r.at = begin
  return null
}

/** The list of a table's records that point at a holder, by the link that does; where several do, that is a fork. */
function linkTo(r: Reader, begin: number, table: TableDef, holder: TableDef, of: string | null): ReadList | null {
  const links = table.fields.filter((f) => f.type !== 'person' && targetOf(f) === holder.name)
  if (links.length === 0) return null
  const link = r.pick(
    begin,
    links.map((l) => `by ${l.label.toLowerCase()}`),
    links,
  )
  const from = `${table.name}.${link.name}`
  return { list: of === null ? from : null, from, of, table }
}
