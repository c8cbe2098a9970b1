import { randomUUID } from 'node:crypto'
import { domainOf } from '@/core/recipients/address'

/** A Message-ID that no other message has, in the domain of whom it is from (RFC 5322, 3.6.4). */
export const newMessageId = (from: string): string => `<${randomUUID()}@${domainOf(from)}>`
