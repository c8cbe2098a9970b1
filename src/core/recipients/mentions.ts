import { patternOfAnyCase } from '../values/letters'

/** What somebody is told by in texts. */
export interface Identity {
  readonly address: string
  readonly name?: string | null
  readonly phone?: string | null
}

/** What stands in the place of an address that was erased; nobody has such an address (RFC 2606). */
export const ERASED = 'erased@erased.invalid'

/** What stands in the place of anything else that was erased. */
export const ERASED_TEXT = 'Erased'

/**
 * What is looked for in texts, as regular expressions of PostgreSQL (15, 9.7.3). Texts and JSON that fit none of `near` hold none of it and need not be read on; what fits one of `patterns`
 * is it, and gets what stands in `instead` at its place.
 */
export interface Mentions {
  readonly near: readonly string[]
  readonly patterns: readonly string[]
  readonly instead: readonly string[]
}

/** Letters of a name of one word, or of a number, up to which it is taken for somebody only where it stands alone: `Li` is the beginning of much. */
const SHORT = 5

/** What may not stand before an address, or it is the end of another one (RFC 5322 section 3.2.3, but for what texts put before addresses as well), and what may not follow it. */
const BEFORE_ADDRESS = `(?<![[:alnum:]._+%-]|[[:alnum:]]['!$^])`
const AFTER_ADDRESS = '(?![[:alnum:]_]|[.-][[:alnum:]])'

/** The same of words. */
const BEFORE_WORD = '(?<![[:alnum:]_])'
const AFTER_WORD = '(?![[:alnum:]_])'

/** What tells somebody by their address, name and phone, whatever the case of letters. */
export function mentionsOf({ address, name, phone }: Identity): Mentions {
  const words = [name, phone].map((text) => text?.trim() ?? '').filter(Boolean)
  const found = [
    ...written(address).map((text) => [BEFORE_ADDRESS + patternOfAnyCase(text) + AFTER_ADDRESS, ERASED] as const),
    ...words.flatMap((text) => written(text).map((as) => [asWords(as), ERASED_TEXT] as const)),
  ]
  return {
    near: [...new Set([address, ...words].flatMap((text) => [...written(text), JSON.stringify(text).slice(1, -1)]).map(spaced))],
    patterns: found.map(([pattern]) => pattern),
    instead: found.map(([, instead]) => instead),
  }
}

/** What tells an address alone. */
export const mentionsOfAddress = (address: string): Mentions => mentionsOf({ address })

/** A text as itself, as HTML has it (WHATWG HTML, 13.3 "Serializing HTML fragments"; quotes as writers of HTML escape them), and as addresses of pages have it (RFC 3986 section 2.1). */
function written(text: string): string[] {
  const html = text.replaceAll('&', '&amp;').replaceAll('<', '&lt;').replaceAll('>', '&gt;')
  return [...new Set([text, html, html.replaceAll('"', '&quot;').replaceAll("'", '&#39;'), encodeURIComponent(text)])]
}

/** In whatever case, with any blanks between words; in JSON blanks may be escaped. */
const spaced = (text: string): string => text.split(/\s+/).map(patternOfAnyCase).join('[[:space:]\\\\nrt]+')

function asWords(text: string): string {
  const pattern = text.split(/\s+/).map(patternOfAnyCase).join('[[:space:]]+')
  return /\s/.test(text) || text.length > SHORT ? BEFORE_WORD + pattern + AFTER_WORD : `^[[:space:]]*${pattern}[[:space:]]*$`
}
