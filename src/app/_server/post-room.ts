import { readFile } from 'node:fs/promises'
import { join } from 'node:path'
import { ACCOUNT_HEADER } from '@/engine/account/mail'
import type { Actor } from './actor'
import { postRoomUrl } from './environment'
import { Problem } from './problem'

export interface Arrival {
  readonly id: number
  readonly at: string
  readonly envelope: { readonly from: string; readonly to: readonly string[] }
  readonly subject: string
  readonly raw?: string
}

export interface MailboxCount {
  readonly address: string
  readonly messages: number
  readonly last: string
}

/** What came to a channel: an event in the JSON format of CloudEvents, or whatever else was posted. */
export interface ChannelPost {
  readonly id: number
  readonly at: string
  readonly body: { readonly data?: { readonly title?: string; readonly text?: string; readonly workflow?: string; readonly link?: string } } | null
}

/** Whether somebody may read a message that arrived: members those to themselves; and an invitation or a new password's link, beside administrators, its addressee alone. */
export function mayReadArrival({ role, email }: Pick<Actor, 'role' | 'email'>, { envelope, raw = '' }: Pick<Arrival, 'envelope' | 'raw'>): boolean {
  const isTheirs = envelope.to.some((to) => to.toLowerCase() === email?.toLowerCase())
  const end = raw.search(/\r?\n\r?\n/)
  const isAccountMail = new RegExp(`^${ACCOUNT_HEADER}:`, 'im').test(end < 0 ? raw : raw.slice(0, end))
  return isTheirs || role === 'administrator' || (role === 'editor' && !isAccountMail)
}

/** The token that the post room wants of whoever writes; it is kept in the home. */
const ownToken = () =>
  readFile(join(process.env.RAPPEL_HOME ?? '.rappel', 'post-room', 'token'), 'utf8').then(
    (text) => text.trim(),
    () => '',
  )

/** Asks the post room. @throws Problem when it is not running or does not know */
async function ask<T>(path: string, init?: RequestInit): Promise<T> {
  const headers: Record<string, string> = init?.method ? { authorization: `Bearer ${await ownToken()}` } : {}
  const response = await fetch(`${postRoomUrl()}${path}`, { ...init, headers, cache: 'no-store', signal: AbortSignal.timeout(5_000) }).catch(() => {
    throw new Problem(503, 'Post room away', 'The post room is not running, so there is no mail to look at.')
  })
  const body = (await response.json()) as T & { title?: string }
  if (!response.ok) throw new Problem(response.status, 'Post room', body.title ?? 'The post room refused.')
  return body
}

export const postRoom = {
  mailboxes: async () => (await ask<{ mailboxes: MailboxCount[] }>('/mailboxes')).mailboxes,
  messages: async (to: string | null, limit: number) =>
    (await ask<{ messages: Arrival[] }>(`/messages?raw=false&newest=true&limit=${limit}${to ? `&to=${encodeURIComponent(to)}` : ''}`)).messages,
  message: (id: number) => ask<Arrival & { raw: string }>(`/messages/${id}`),
  channels: async () => (await ask<{ channels: string[] }>('/channels')).channels,
  posts: async (channel: string) => (await ask<{ posts: ChannelPost[] }>(`/channels/${encodeURIComponent(channel)}`)).posts,
  faults: () => ask<Record<string, unknown>>('/faults'),
  putFaults: (faults: unknown) => ask<Record<string, unknown>>('/faults', { method: 'PUT', body: JSON.stringify(faults) }),
}
