import { LINK_DAYS } from '@/core/message/file-links'
import { openSignedText, signedText } from './signed'

const DAY_MS = 86_400_000

/** The key in a mail's link to a file, which leads to it for a time. */
export const fileKey = (file: number, at: Date, secret: string): string => signedText('file', `${file} ${at.getTime() + LINK_DAYS * DAY_MS}`, secret)

/** The file that a key leads to, and whether its time is over; null where the signature is not ours. */
export function openFileKey(key: string, secret: string, now: Date): { readonly file: number; readonly isOver: boolean } | null {
  const [file, until] = openSignedText('file', key, secret)?.split(' ') ?? []
  return file && until ? { file: Number(file), isOver: Number(until) < now.getTime() } : null
}
