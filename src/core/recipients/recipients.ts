import type { ChangedBy } from '../changes/change'
import type { Recipient } from '../document/document'
import { must } from '../must'
import type { Lookups } from '../paths/lookups'
import { type CheckedPath, checkPath } from '../paths/path'
import { isBlank } from '../values/compare'
import { capital } from '../values/naming'
import type { Image, Schema, Stored, TableDef } from '../values/tables'
import { idFrom, targetOf, titleOf } from '../values/tables'
import { addressKey, isAddress } from './address'
import { mailboxesIn } from './mailboxes'

/** Something that happened on the way to a plan, for the trace: which entry, and a sentence. */
export interface Note {
  readonly code: string
  /** JSON Pointer into the workflow document. */
  readonly path: string
  readonly message: string
}

/** One address that will be written to, with what it came from. */
export interface Addressee {
  readonly address: string
  readonly name: string | null
  readonly path: string
  /** The record or person that yielded it, which `recipient` shows. */
  readonly image: Image | null
  readonly table: TableDef | null
}

/** A path as it was read: its value, what it points at when it is a link, and the record its last field belongs to. */
export interface Resolved {
  readonly value: Stored | undefined
  readonly target: string | undefined
  readonly holder: { readonly image: Image | null; readonly table: TableDef } | null
  /** Whether the value names several addresses. */
  readonly many?: boolean
}

/** What recipients are worked out from. */
export interface RecipientFacts {
  readonly schema: Schema
  /** The record's own table; an address found in its own fields has no name of its own. */
  readonly table: TableDef
  readonly by: ChangedBy
  readonly lookups: Lookups
  /** Reads a path from the record, or from a name that paths can start at. */
  readonly resolve: (path: string) => Resolved
  /** The entries of a list by its name. */
  readonly list: (name: string) => { readonly table: TableDef; readonly images: readonly Image[] } | null
  /** Renders a text with placeholders to plain text. */
  readonly renderText: (source: string, path: string) => string
  /** Whether it is for notices in the application: that mail to an address came back is no reason to leave anybody out. */
  readonly isShown?: boolean
}

type Raw = { address: Stored | undefined; name: string | null; image: Image | null; table: TableDef | null; inactive?: boolean; said: string; entry?: string }

/** Yields the addresses of one entry, uncleaned, with the words it goes by. */
function yieldEntry(entry: Recipient, facts: RecipientFacts, path: string): Raw[] {
  if ('list' in entry) return yieldList(entry.list, entry.field, facts)
  if ('address' in entry) return [{ address: entry.address, name: null, image: null, table: null, said: entry.address }]
  if ('text' in entry) return mailboxesIn(facts.renderText(entry.text, path)).map((one) => ({ ...one, image: null, table: null, said: 'the text' }))
  if ('group' in entry) return yieldGroup(entry.group, facts)
  if ('team' in entry) return facts.lookups.team(entry.team).map((p) => personRaw(p, facts, `the team ${entry.team}`))
  if ('changedBy' in entry) return [personById(facts.by.person, facts, 'whoever made the change')]
  if ('managerOf' in entry) return [personByPath(`${entry.managerOf}.manager`, facts)]
  return yieldField(entry.field, facts)
}

function yieldGroup(name: string, facts: RecipientFacts): Raw[] {
  const group = facts.lookups.group(name)
  if (!group) return [{ address: null, name: null, image: null, table: null, said: `the group ${name}` }]
  return [
    ...group.people.map((p) => personRaw(p, facts, `the group ${name}`)),
    ...group.addresses.map((address) => ({ address, name: null, image: null, table: null, said: `the group ${name}` })),
  ]
}

/** Each entry of a list, read along a path from the entry. */
function yieldList(name: string, field: string, facts: RecipientFacts): Raw[] {
  const list = facts.list(name)
  if (!list) return [{ address: null, name: null, image: null, table: null, said: `the list ${name}` }]
  const checked = checkPath(facts.schema, list.table, field)
  if ('problem' in checked) throw new Error(checked.problem)
  return list.images.map((image) => {
    const resolved = resolvePath(image, checked, facts.schema, facts.lookups)
    const title = titleOf(list.table, image)
    return { ...addressOf(resolved, facts, `${title}’s ${spoken(field)}`), image, table: list.table, entry: title }
  })
}

/** Reads a checked path from an image, and finds the record its last field belongs to. */
export function resolvePath(image: Image | null, path: CheckedPath, schema: Schema, lookups: Lookups): Resolved {
  let at = image
  let table = path.table
  for (const link of path.links) {
    const target = must(targetOf(link))
    const id = idFrom(at?.[link.name])
    at = id === null ? null : lookups.record(target, id)
    table = must(schema.get(target))
  }
  return { value: at?.[path.field.name], target: targetOf(path.field), holder: { image: at, table }, ...(path.field.many ? { many: true } : {}) }
}

function yieldField(path: string, facts: RecipientFacts): Raw[] {
  const resolved = facts.resolve(path)
  if (!resolved.many || isBlank(resolved.value)) return [addressOf(resolved, facts, spoken(path))]
  return mailboxesIn(String(resolved.value)).map((one) => ({ ...one, image: null, table: null, said: spoken(path) }))
}

function addressOf({ value, target, holder }: Resolved, facts: RecipientFacts, said: string): Raw {
  if (target === 'person') return personById(value, facts, said)
  const isElsewhere = holder?.image && holder.table !== facts.table
  return { address: value, name: isElsewhere ? titleOf(holder.table, holder.image) : null, image: holder?.image ?? null, table: holder?.table ?? null, said }
}

function personByPath(path: string, facts: RecipientFacts): Raw {
  return personById(facts.resolve(path).value, facts, spoken(path))
}

function personById(id: Stored | undefined, facts: RecipientFacts, said: string): Raw {
  const known = isBlank(id) ? null : idFrom(id)
  const person = known === null ? null : facts.lookups.record('person', known)
  return person ? personRaw(person, facts, said) : { address: null, name: null, image: null, table: null, said }
}

function personRaw(person: Image, facts: RecipientFacts, said: string): Raw {
  const table = facts.schema.get('person') ?? null
  return { address: person.email, name: String(person.name ?? ''), image: person, table, inactive: person.active === false, said }
}

export interface Cleaned {
  readonly to: Addressee[]
  readonly cc: Addressee[]
  readonly bcc: Addressee[]
  readonly notes: Note[]
}

/** Works out who gets an email and cleans it: blanks, faulty, inactive, suppressed and repeated addresses go, each with a note. */
export function resolveRecipients(
  lists: { to: readonly Recipient[]; cc?: readonly Recipient[]; bcc?: readonly Recipient[] },
  facts: RecipientFacts,
  paths: { to: string; cc: string; bcc: string },
): Cleaned {
  const notes: Note[] = []
  const seen = new Set<string>()
  const clean = (entries: readonly Recipient[] | undefined, path: string): Addressee[] =>
    (entries ?? []).flatMap((entry, i) => {
      const at = `${path}/${i}`
      return yieldEntry(entry, facts, at).flatMap((raw) => cleanOne(raw, at, facts, seen, notes))
    })
  const to = clean(lists.to, paths.to)
  const cc = clean(lists.cc, paths.cc)
  const bcc = clean(lists.bcc, paths.bcc)
  return { to, cc, bcc, notes }
}

function cleanOne(raw: Raw, path: string, { lookups, isShown }: RecipientFacts, seen: Set<string>, notes: Note[]): Addressee[] {
  const drop = (code: string, message: string): Addressee[] => {
    notes.push({ code, path, message })
    return []
  }
  if (isBlank(raw.address)) return drop('blank address', raw.entry ? `${raw.entry}: no address` : `${capital(raw.said)} gives no address: it is blank.`)
  const address = String(raw.address).trim()
  if (raw.inactive) return drop('inactive person', `${raw.name} is no longer active, so ${address} is left out.`)
  if (!isAddress(address)) return drop('faulty address', `“${address.slice(0, 80)}” (${raw.said}) is not a valid e-mail address.`)
  if (!isShown && lookups.suppressed(address)) return drop('suppressed address', `${address} is suppressed: an earlier mail to it bounced for good.`)
  const key = addressKey(address)
  if (seen.has(key)) return drop('same address', `${address} is already written to, so it is kept once.`)
  seen.add(key)
  return [{ address, name: raw.name || null, path, image: raw.image, table: raw.table }]
}

/** A path as it is said: `owner.manager` is "owner’s manager". */
function spoken(path: string): string {
  return path
    .replace(/^asked\./, 'the answer to ')
    .replaceAll('.', '’s ')
    .replaceAll('_', ' ')
}
