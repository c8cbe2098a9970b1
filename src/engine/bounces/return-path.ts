import { createHmac, timingSafeEqual } from 'node:crypto'

/** Characters of the signature in a return path: 60 bits, beyond guessing, and short enough for a local part of 64 (RFC 5321 section 4.5.3.1.1). */
const SIGNED = 12

const ALPHABET = 'abcdefghijklmnopqrstuvwxyz234567'

/** The beginning of a hash in letters and digits whose case does not matter (RFC 4648 section 6): the case of a local part may not survive its way. */
function signature(id: number, secret: string): string {
  const hash = createHmac('sha256', secret).update(`bounce ${id}`).digest()
  return Array.from(hash.subarray(0, SIGNED), (byte) => ALPHABET[byte % 32]).join('')
}

/** The address that reports about a message come back to: the address for bounces with the message's number, signed, so that nobody else can say that mail failed. */
export function returnPath(address: string, id: number, secret: string): string {
  const at = address.lastIndexOf('@')
  return `${address.slice(0, at)}+${id.toString(36)}-${signature(id, secret)}${address.slice(at)}`
}

/** The number of the message that an address stands for; null where it is none of ours. */
export function messageOf(path: string, address: string, secret: string): number | null {
  const at = address.lastIndexOf('@')
  const lower = path.trim().toLowerCase()
  const [before, after] = [`${address.slice(0, at)}+`.toLowerCase(), address.slice(at).toLowerCase()]
  if (!lower.startsWith(before) || !lower.endsWith(after)) return null
  const [number, given] = lower.slice(before.length, lower.length - after.length).split('-')
  if (!number || !/^[0-9a-z]{1,10}$/.test(number) || given?.length !== SIGNED) return null
  const id = Number.parseInt(number, 36)
  return timingSafeEqual(Buffer.from(signature(id, secret)), Buffer.from(given)) ? id : null
}
