import type { Recipient } from './document'

/** Whom a task is for, as a recipient is named: the person with an e-mail where the text is one, which no path is, else whom the path leads to. */
export const ownerEntry = (owner: string): Extract<Recipient, { address: string } | { field: string }> => (owner.includes('@') ? { address: owner } : { field: owner })
