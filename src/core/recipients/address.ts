import addresses from 'email-addresses'

const MAX_LOCAL = 64
const MAX_ADDRESS = 254

/** Dot-atoms of RFC 5322 section 3.2.3 on both sides, the domain in letters, digits and hyphens: nearly every address, and no parser is needed to see it. */
const PLAIN_LOCAL = /^[\w!#$%&'*+/=?^`{|}~-]+(?:\.[\w!#$%&'*+/=?^`{|}~-]+)*$/
const PLAIN_DOMAIN = /^[a-z0-9](?:[a-z0-9-]{0,61}[a-z0-9])?(?:\.[a-z0-9](?:[a-z0-9-]{0,61}[a-z0-9])?)+$/i

const octets = (text: string) => new TextEncoder().encode(text).length

/**
 * Whether a text is one addr-spec that mail can be sent to: RFC 5322 section 3.4.1 without comments or folding,
 * UTF-8 allowed (RFC 6531), and the sizes of RFC 5321 section 4.5.3.1 (local part 64 octets, path 254).
 */
export function isAddress(text: string): boolean {
  if (text.length <= MAX_ADDRESS && isPlain(text)) return true
  if (text.length > MAX_ADDRESS || octets(text) > MAX_ADDRESS || /[\r\n<>]|\\[^\x20-\x7e]/.test(text)) return false
  const parsed = addresses.parseOneAddress({ input: text, rfc6532: true, strict: true, rejectTLD: false })
  if (parsed?.type !== 'mailbox' || parsed.name !== null || parsed.parts.comments.length > 0) return false
  const at = text.lastIndexOf('@')
  return parsed.parts.address.tokens === text && octets(text.slice(0, at)) <= MAX_LOCAL && isDomain(text.slice(at + 1))
}

/** The domain of an address, as it is written. */
export const domainOf = (address: string): string => address.slice(address.lastIndexOf('@') + 1)

function isPlain(text: string): boolean {
  const at = text.indexOf('@')
  return at > 0 && at <= MAX_LOCAL && PLAIN_LOCAL.test(text.slice(0, at)) && PLAIN_DOMAIN.test(text.slice(at + 1))
}

/** A domain of RFC 5321 section 4.1.2: labels of letters, digits and hyphens (U-labels too), or an address literal in brackets. */
function isDomain(domain: string): boolean {
  if (domain.startsWith('[')) return isAddressLiteral(domain)
  if (octets(domain) > 255) return false
  return domain.split('.').every((label) => label.length <= 63 && /^[\p{L}\p{N}\p{M}]([\p{L}\p{N}\p{M}-]*[\p{L}\p{N}\p{M}])?$/u.test(label))
}

const OCTET = '(25[0-5]|2[0-4]\\d|1?\\d?\\d)'
const IPV4 = new RegExp(`^${OCTET}(\\.${OCTET}){3}$`)

/** An address literal of RFC 5321 section 4.1.3: an IPv4 address, or an IPv6 address in which `::` stands for at least two groups. */
function isAddressLiteral(domain: string): boolean {
  const inner = /^\[(.*)\]$/.exec(domain)?.[1] ?? ''
  if (IPV4.test(inner)) return true
  const address = /^IPv6:([0-9a-f:.]+)$/i.exec(inner)?.[1]
  if (!address || !URL.canParse(`http://[${address}]`)) return false
  const groups = address.split(':').filter(Boolean)
  const length = groups.length + (groups.some((g) => g.includes('.')) ? 1 : 0)
  return !address.includes('::') || length <= 6
}

/** The form in which two addresses are the same mailbox to us: without letter case, as e-mails compare everywhere in Rappel. */
export function addressKey(address: string): string {
  return address.trim().toLowerCase()
}
