import { createHmac, timingSafeEqual } from 'node:crypto'

const signature = (purpose: string, text: string, secret: string) => createHmac('sha256', secret).update(`${purpose} ${text}`).digest('base64url')

/** A text that goes out in an address and comes back, signed for one purpose (HMAC-SHA-256, RFC 2104), so that only who was given it has it. */
export function signedText(purpose: string, text: string, secret: string): string {
  return `${Buffer.from(text).toString('base64url')}.${signature(purpose, text, secret)}`
}

/** The text of a key; null where the signature is not ours, or for another purpose. */
export function openSignedText(purpose: string, key: string, secret: string): string | null {
  const [encoded, given] = key.split('.')
  if (!encoded || !given) return null
  const text = Buffer.from(encoded, 'base64url').toString('utf8')
  const right = Buffer.from(signature(purpose, text, secret))
  const offered = Buffer.from(given)
  return offered.length === right.length && timingSafeEqual(offered, right) ? text : null
}
