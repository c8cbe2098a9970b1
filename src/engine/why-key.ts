import { createHmac, timingSafeEqual } from 'node:crypto'

const signature = (text: string, secret: string) => createHmac('sha256', secret).update(`why ${text}`).digest('base64url')

/** The key in a mail's link to "why you got this": its Message-ID, signed (HMAC-SHA-256, RFC 2104), so that only who has the mail has it. */
export function whyKey(messageId: string, secret: string): string {
  return `${Buffer.from(messageId).toString('base64url')}.${signature(messageId, secret)}`
}

/** The Message-ID that a key was made for; null where the signature is not ours. */
export function openWhyKey(key: string, secret: string): string | null {
  const [encoded, given] = key.split('.')
  if (!encoded || !given) return null
  const messageId = Buffer.from(encoded, 'base64url').toString('utf8')
  const right = Buffer.from(signature(messageId, secret))
  const offered = Buffer.from(given)
  return offered.length === right.length && timingSafeEqual(offered, right) ? messageId : null
}
