import { openSignedText, signedText } from './signed'

/** The key in a mail's link to "why you got this": its Message-ID, signed. */
export const whyKey = (messageId: string, secret: string) => signedText('why', messageId, secret)

/** The Message-ID that a key was made for; null where the signature is not ours. */
export const openWhyKey = (key: string, secret: string) => openSignedText('why', key, secret)

/** The key with which an address says that it wants no more mail of a workflow. */
export const stopKey = (workflow: number, address: string, secret: string) => signedText('stop', `${workflow} ${address.trim().toLowerCase()}`, secret)

/** Where an address says stop of a workflow; a mail program may post to it (RFC 8058). */
export const stopLink = (baseUrl: string, workflow: number, address: string, secret: string) => `${baseUrl}/api/stop/${stopKey(workflow, address, secret)}`

/** The workflow and the address that such a key is for; null where the signature is not ours. */
export function openStopKey(key: string, secret: string): { workflow: number; address: string } | null {
  const text = openSignedText('stop', key, secret)
  const space = text?.indexOf(' ') ?? -1
  return text === null || space < 1 ? null : { workflow: Number(text.slice(0, space)), address: text.slice(space + 1) }
}
