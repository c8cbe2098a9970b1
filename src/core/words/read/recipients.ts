import type { BringIn, Recipient } from '../../document/document'
import type { FieldDef, Schema, TableDef } from '../../values/tables'
import { targetOf } from '../../values/tables'
import { eitherNumber, isPlural, Lexicon } from './lexicon'
import { readPerson } from './operands'
import { type ReadList, type ReadPath, readList, readPath, type Scope } from './paths'
import type { Reader } from './reader'
import { AND, ANSWER_TO, DETERMINERS, EACH, EVERY_OTHER, GROUP, MANAGER_OF, OF_ALONE, OR, TEAM, WHOEVER, WHOEVER_IT_WAS } from './vocabulary'

/** What reading gathers beside what it gives: things that have to be brought in for it. */
export interface Gathered {
  readonly bringIn: BringIn[]
}

/** One or several recipients: “its owner and the claims desk”. Empty where none stands here. */
export function readRecipients(r: Reader, scope: Scope, gathered: Gathered): Recipient[] {
  const entries: Recipient[] = []
  if (r.take(EVERY_OTHER)) return entries
  for (;;) {
    const entry = readRecipient(r, scope, gathered)
    if (!entry) return entries
    entries.push(entry)
    const at = r.at
    if (!r.further(AND, OR)) return entries
    if (!r.sees(() => readRecipient(r, scope, { bringIn: [] }))) {
      r.at = at // what follows is something else
      return entries
    }
  }
}

/** One recipient. Null where none stands here. */
export function readRecipient(r: Reader, scope: Scope, gathered: Gathered): Recipient | null {
  return r.attempt(() => named(r, scope) ?? overList(r, scope, gathered) ?? managerOf(r, scope) ?? byPath(r, scope) ?? aGroup(r, scope) ?? somebody(r, scope))
}

function named(r: Reader, scope: Scope): Recipient | null {
  if (r.take(WHOEVER)) return { changedBy: true }
  const group = r.attempt(() => (r.take(GROUP) ? r.take(scope.words.groups) : null))
  if (group !== null) return { group }
  const asked = r.attempt(() => {
    const answer = r.take(ANSWER_TO) && r.token?.kind === 'quoted' ? r.token : null
    if (answer) r.at++
    return answer
  })
  if (asked) return { field: `asked.${asked.text.replaceAll(' ', '_')}` }
  const team = r.attempt(() => (r.take(TEAM) ? r.take(scope.words.teams) : null))
  return team === null ? null : { team }
}

/** A group or a team by its name alone. */
function aGroup(r: Reader, { words }: Scope): Recipient | null {
  return r.attempt(() => {
    while (r.take(DETERMINERS)) if (r.isDone) return null
    const group = r.take(words.groups)
    if (group !== null) return { group }
    const team = r.take(words.teams)
    if (team === null) return null
    r.take(TEAM)
    return { team }
  })
}

function somebody(r: Reader, scope: Scope): Recipient | null {
  const address = readPerson(r, scope)
  return address === null ? null : { address }
}

/** “the manager of its owner”. */
function managerOf(r: Reader, scope: Scope): Recipient | null {
  return r.attempt(() => {
    if (!r.take(MANAGER_OF)) return null
    r.take(WHOEVER_IT_WAS)
    const path = readPath(r, scope)
    return path?.field?.type === 'person' ? { managerOf: path.path } : null
  })
}

function byPath(r: Reader, scope: Scope): Recipient | null {
  return r.attempt(() => {
    r.take(WHOEVER_IT_WAS)
    const path = readPath(r, scope)
    if (!path) return null
    const field = addressIn(path.path, path.field?.type, path.leadsTo, scope.installation.schema)
    return field === null ? null : { field }
  })
}

/** The path to an address that a path means: itself where it is one, else the e-mail of the record that it leads to. */
function addressIn(path: string, type: string | undefined, leadsTo: TableDef | null, schema: Schema): string | null {
  if (type === 'email' || type === 'person' || (type === undefined && leadsTo?.name === 'person')) return path
  if (!leadsTo) return null
  const inside = addressOf(leadsTo, schema)
  return inside === null ? null : `${path}.${inside}`
}

/** Where a record's address is: its own e-mail, else its owner, else the e-mail of a record it links to, else that one's owner. */
function addressOf(table: TableDef, schema: Schema): string | null {
  const email = (of: TableDef) => of.fields.find((f) => f.type === 'email')?.name
  const owner = (of: TableDef) => (of.fields.find((f) => f.name === of.ownerField) ?? of.fields.find((f) => f.type === 'person'))?.name
  const own = email(table) ?? owner(table)
  if (own) return own
  for (const inside of [email, owner]) {
    for (const link of table.fields) {
      const target = schema.get(targetOf(link) ?? '')
      const further = target && inside(target)
      if (further) return `${link.name}.${further}`
    }
  }
  return null
}

/** Everybody in a list: “each booking’s passenger”, “every contact of its company”, “the passenger of each of guests”. */
function overList(r: Reader, scope: Scope, gathered: Gathered): Recipient | null {
  return r.attempt(() => whoOfEach(r, scope, gathered) ?? eachAlone(r, scope, gathered) ?? several(r, scope, gathered))
}

/** “the passenger of each booking”, “the passenger’s email of each of guests”, “the passengers of its bookings”. */
function whoOfEach(r: Reader, scope: Scope, gathered: Gathered): Recipient | null {
  const begin = r.at
  const each = r.tokens.slice(begin, begin + MOST_BEFORE_EACH).findIndex((t, i, all) => t.key === 'of' && LIST_BEGINS.has(all[i + 1]?.key ?? ''))
  if (each <= 0) return null
  return r.attempt(() => {
    r.at = begin + each + 1
    const isEach = r.take(EACH) !== null
    const list = readEachList(r, scope)
    const after = r.at
    if (!list) return null
    r.at = begin
    const path = isEach ? readPath(r, entryScope(list.table, scope)) : readSeveral(r, list.table, scope)
    if (!path || r.at !== begin + each) return null
    const field = addressIn(path.path, path.field?.type, path.leadsTo, scope.installation.schema)
    r.at = after
    return field === null ? null : { list: bringList(list, gathered), field }
  })
}

const MOST_BEFORE_EACH = 10
const LIST_BEGINS = new Set(['each', 'every', 'all', 'its', 'the', 'their'])

const severalKept = new WeakMap<TableDef, Lexicon<FieldDef>>()

/** A field of a list’s entries, said of several: “passengers”. */
function readSeveral(r: Reader, table: TableDef, { installation }: Scope): ReadPath | null {
  let lexicon = severalKept.get(table)
  if (!lexicon) {
    const several = (label: string) => eitherNumber(label).filter((form) => form !== label)
    lexicon = new Lexicon(table.fields.flatMap((field) => several(field.label.toLowerCase()).map((words) => ({ words, meant: field }))))
    severalKept.set(table, lexicon)
  }
  while (r.take(DETERMINERS)) if (r.isDone) return null
  const field = r.take(lexicon)
  return field && { path: field.name, field, leadsTo: installation.schema.get(targetOf(field) ?? '') ?? null }
}

/** “each booking’s passenger”, “every contact of its company”, “everyone on its bookings”. */
function eachAlone(r: Reader, scope: Scope, gathered: Gathered): Recipient | null {
  if (!r.take(EACH)) return null
  const list = readEachList(r, scope)
  if (!list) return null
  const further = r.tokens[r.at - 1]?.whose
    ? r.attempt(() => {
        const path = readPath(r, entryScope(list.table, scope))
        return path && addressIn(path.path, path.field?.type, path.leadsTo, scope.installation.schema)
      })
    : null
  const field = further ?? addressOf(list.table, scope.installation.schema)
  return field === null ? null : { list: bringList(list, gathered), field }
}

/** “the contacts of its company”, “its bookings’ passengers”. */
function several(r: Reader, scope: Scope, gathered: Gathered): Recipient | null {
  while (r.take(DETERMINERS)) if (r.isDone) return null
  const begin = r.at
  const list = readList(r, scope)
  if (!list) return null
  const of = r.tokens.slice(begin, r.at).findIndex((t) => t.key === 'of')
  const noun = r.tokens[(of < 0 ? r.at : begin + of) - 1]
  if (!noun || !isPlural(noun.key)) return null
  const theirs = noun.whose ? r.attempt(() => readSeveral(r, list.table, scope)) : null
  if (noun.whose && !theirs) return null
  const field = theirs ? addressIn(theirs.path, theirs.field?.type, theirs.leadsTo, scope.installation.schema) : addressOf(list.table, scope.installation.schema)
  return field === null ? null : { list: bringList(list, gathered), field }
}

function readEachList(r: Reader, scope: Scope): ReadList | null {
  r.take(OF_ALONE)
  return readList(r, scope)
}

/** Where bare words mean an entry of a list. */
const entryScope = (table: TableDef, scope: Scope): Scope => ({ ...scope, table, roots: new Map() })

/** The name that a list goes by: itself where actions know it, else that under which it is brought in. */
export function bringList({ list, from, of, table }: ReadList, { bringIn }: Gathered): string {
  if (list !== null) return list
  const known = bringIn.find((b) => b.list === from && b.of === (of ?? undefined))
  if (known) return known.name
  const name = freeOf(table.name, bringIn)
  bringIn.push({ name, list: from, ...(of === null ? {} : { of }) })
  return name
}

function freeOf(wanted: string, bringIn: readonly BringIn[]): string {
  let name = wanted
  for (let n = 2; bringIn.some((b) => b.name === name); n++) name = `${wanted}_${n}`
  return name
}
