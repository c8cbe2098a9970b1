import { postRoomUrl } from './environment'
import { Problem } from './route'

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

/** Asks the post room. @throws Problem when it is not running or does not know */
async function ask<T>(path: string, init?: RequestInit): Promise<T> {
  const response = await fetch(`${postRoomUrl()}${path}`, { ...init, cache: 'no-store', signal: AbortSignal.timeout(5_000) }).catch(() => {
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
  faults: () => ask<Record<string, unknown>>('/faults'),
  putFaults: (faults: unknown) => ask<Record<string, unknown>>('/faults', { method: 'PUT', body: JSON.stringify(faults) }),
}
