import parse from 'nodemailer/lib/addressparser'

/** An address as a text names it, with the name that stands before it. */
export interface NamedAddress {
  readonly address: string
  readonly name: string | null
}

/**
 * The addresses that a text names, uncleaned: an address list as RFC 5322 section 3.4 writes it (`"Jo, Q" <jo@example.org>`), or addresses one after
 * another, with commas, semicolons, blanks or line ends between them.
 */
export function mailboxesIn(text: string): NamedAddress[] {
  if (!/[<"(]/.test(text))
    return text
      .split(/[,;\s]+/)
      .filter(Boolean)
      .map((address) => ({ address, name: null }))
  return text
    .split(/[\r\n]+/)
    .flatMap((line) => parse(line, { flatten: true }))
    .map(({ address, name }) => ({ address: address || name, name: address ? name || null : null }))
}
