import { openSignedText, signedText } from './signed'

/** The key in a mail's link to "why you got this": its Message-ID, signed. */
export const whyKey = (messageId: string, secret: string) => signedText('why', messageId, secret)

/** The Message-ID that a key was made for; null where the signature is not ours. */
export const openWhyKey = (key: string, secret: string) => openSignedText('why', key, secret)
