import { openSignedText, signedText } from '../signed'

/** The key in the link of an invitation or a new password: the link's id, signed. */
export const accountKey = (id: number, secret: string) => signedText('account', String(id), secret)

/** The id that a key was made for; null where the signature is not ours. */
export function openAccountKey(key: string, secret: string): number | null {
  const text = openSignedText('account', key, secret)
  return text && /^\d{1,15}$/.test(text) ? Number(text) : null
}

/** The path of the page that a key leads to. */
export const accountPath = (key: string) => `/sign-in/${encodeURIComponent(key)}`
