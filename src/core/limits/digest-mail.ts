import { compileMessage, type Engines, type RenderedMessage, renderMessage } from '../message/render'
import { faultOf } from '../must'
import type { Column } from '../workflow/plan'
import type { DigestWords } from './digest-words'

/** What a digest says of one message that it gathers, as it was when that was planned. */
export interface DigestRow {
  readonly title: string
  /** The address of what it is about; null where that has no page. */
  readonly link: string | null
  readonly why: string
  /** The singular and plural of what it is about, such as "claim" and "claims". */
  readonly noun: readonly [string, string]
  readonly columns: readonly Column[]
  readonly at: string
}

/** A row with the workflow that it is of. */
export interface DigestEntry extends DigestRow {
  readonly workflow: string
}

/** Rows that a digest shows; the rest is counted and linked. */
export const MOST_ROWS = 200

const counted = (count: number, [one, many]: readonly [string, string]) => `${count} ${count === 1 ? one : many}`

/** How many of what a digest has: "9 claims, 5 defects", the most first. */
export function kindsOf(entries: readonly DigestEntry[]): string {
  const kinds = new Map<string, { noun: readonly [string, string]; count: number }>()
  for (const { noun } of entries) kinds.set(noun[1], { noun, count: (kinds.get(noun[1])?.count ?? 0) + 1 })
  return [...kinds.values()]
    .sort((a, b) => b.count - a.count)
    .map(({ noun, count }) => counted(count, noun))
    .join(', ')
}

/** Who a digest is for, of which organisation, and until when it was gathered. */
export interface DigestFor {
  readonly recipient: string
  readonly organisation: string
  readonly until: Date
  readonly baseUrl: string
}

/** Composes one digest. @throws Error where its words do not parse, or take too long */
export const composeDigest = (entries: readonly DigestEntry[], about: DigestFor, words: DigestWords, engines: Engines): RenderedMessage =>
  digestComposer(words, engines)(entries, about)

/** What composes digests in some words: a section a workflow, by their names, a row an entry, oldest first; it throws where they take too long. @throws Error where they do not parse */
export function digestComposer(words: DigestWords, engines: Engines): (entries: readonly DigestEntry[], about: DigestFor) => RenderedMessage {
  const compiled = compileMessage({ ...words, format: 'rich' }, engines)
  return (entries, about) => renderMessage(compiled, scopeOf(entries, about))
}

function scopeOf(entries: readonly DigestEntry[], { recipient, organisation, until, baseUrl }: DigestFor): Record<string, unknown> {
  const sections = new Map<string, DigestEntry[]>()
  for (const entry of [...entries].sort((a, b) => (a.at < b.at ? -1 : a.at > b.at ? 1 : 0))) {
    const own = sections.get(entry.workflow)
    if (own) own.push(entry)
    else sections.set(entry.workflow, [entry])
  }
  let left = MOST_ROWS
  const shown = [...sections]
    .sort(([a], [b]) => (a < b ? -1 : 1))
    .map(([workflow, own]) => {
      const rows = own.slice(0, Math.max(0, left))
      left -= rows.length
      return { workflow, count: own.length, rows, more: own.length - rows.length, link: `${baseUrl}/runs?workflow=${encodeURIComponent(workflow)}` }
    })
  return { count: entries.length, kinds: kindsOf(entries), recipient, organisation, until: until.toISOString(), sections: shown }
}

/** What is wrong with the words of digests, tried on rows that are made up; null where they go. */
export function digestProblem(words: DigestWords, engines: Engines): string | null {
  const row = { title: 'A', link: null, why: '', noun: ['record', 'records'] as const, columns: [{ label: 'L', value: 'V' }], at: new Date(0).toISOString(), workflow: 'W' }
  try {
    const { subject } = composeDigest([row, row], { recipient: 'R', organisation: 'O', until: new Date(0), baseUrl: '' }, words, engines)
    return subject.trim() === '' ? 'The subject is empty.' : null
  } catch (error) {
    return faultOf(error)
  }
}
