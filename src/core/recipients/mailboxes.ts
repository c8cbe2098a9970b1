import parse from 'nodemailer/lib/addressparser'
import { must } from '../must'

/** An address as a text names it, with the name that stands before it. */
export interface NamedAddress {
  readonly address: string
  readonly name: string | null
}

/** What has a meaning in an address list (RFC 5322 sections 3.2 and 3.4), white space apart. */
const SYNTAX = '",;:<>()[]\\\r\n'

/** Code points of a private use area that stand for them in what comes from data. */
const MASK_FROM = 0xf8e0

const MASKS = new Map([...SYNTAX].map((character, i) => [character, String.fromCodePoint(MASK_FROM + i)]))
const UNMASKED = new Map([...MASKS].map(([character, mask]) => [mask, character]))

/** A value from data as it stands in an address list: its characters mean nothing there but themselves. See `mailboxesIn`, which undoes it. */
export function masked(value: string): string {
  return value.replaceAll(/[",;:<>()[\]\\\r\n]/g, (character) => must(MASKS.get(character)))
}

const unmasked = (text: string) => text.replaceAll(/[\uf8e0-\uf8ee]/g, (mask) => UNMASKED.get(mask) ?? mask)

/**
 * The addresses that a text names, uncleaned: an address list as RFC 5322 section 3.4 writes it (`"Jo, Q" <jo@example.org>`), or addresses one after
 * another, with commas, semicolons, blanks or line ends between them. What was masked stands for itself beside a name or inside one; where it is
 * an entry by itself it may hold bare addresses, and nothing else.
 */
export function mailboxesIn(text: string): NamedAddress[] {
  return entriesOf(text).flatMap((entry) => (/[<"(]/.test(entry) ? named(entry) : bare(unmasked(entry))))
}

const CLOSES: Readonly<Record<string, string>> = { '"': '"', '<': '>', '(': ')' }

/** The entries of an address list, taken apart at what separates them outside quotes, brackets and comments. */
function entriesOf(text: string): string[] {
  const entries: string[] = []
  let from = 0
  let closes: string | null = null
  for (let at = 0; at < text.length; at++) {
    const character = must(text[at])
    if (character === '\\') at++
    else if (closes !== null) closes = character === closes || character === '\n' ? null : closes
    else if (character in CLOSES) closes = must(CLOSES[character])
    if (closes === null && /[,;\r\n]/.test(character)) {
      entries.push(text.slice(from, at))
      from = at + 1
    }
  }
  return [...entries, text.slice(from)].filter((entry) => entry.trim() !== '')
}

function bare(text: string): NamedAddress[] {
  return text
    .split(/[,;\s]+/)
    .filter(Boolean)
    .map((address) => ({ address, name: null }))
}

function named(entry: string): NamedAddress[] {
  return parse(entry, { flatten: true }).map(({ address, name }) => ({ address: unmasked(address || name), name: address && name ? unmasked(name) : null }))
}
