import addresses from 'email-addresses'

const MAX_LOCAL = 64
const MAX_ADDRESS = 254

const octets = (text: string) => new TextEncoder().encode(text).length

/**
 * Whether a text is one addr-spec that mail can be sent to: RFC 5322 section 3.4.1 without comments or folding,
 * UTF-8 allowed (RFC 6531), and the sizes of RFC 5321 section 4.5.3.1 (local part 64 octets, path 254).
 */
export function isAddress(text: string): boolean {
  if (text.length > MAX_ADDRESS || octets(text) > MAX_ADDRESS || /[\r\n<>]/.test(text)) return false
  const parsed = addresses.parseOneAddress({ input: text, rfc6532: true, strict: true, rejectTLD: false })
  if (parsed?.type !== 'mailbox' || parsed.name !== null || parsed.parts.comments.length > 0) return false
  const at = text.lastIndexOf('@')
  return parsed.parts.address.tokens === text && octets(text.slice(0, at)) <= MAX_LOCAL && isDomain(text.slice(at + 1))
}

/** A domain of RFC 5321 section 4.1.2: labels of letters, digits and hyphens (U-labels too), or an address literal in brackets. */
function isDomain(domain: string): boolean {
  if (/^\[[\x21-\x5a\x5e-\x7e]+\]$/.test(domain)) return true
  if (octets(domain) > 255) return false
  return domain.split('.').every((label) => label.length <= 63 && /^[\p{L}\p{N}\p{M}]([\p{L}\p{N}\p{M}-]*[\p{L}\p{N}\p{M}])?$/u.test(label))
}

/** The form in which two addresses are the same mailbox to us: without letter case, as e-mails compare everywhere in Rappel. */
export function addressKey(address: string): string {
  return address.trim().toLowerCase()
}
