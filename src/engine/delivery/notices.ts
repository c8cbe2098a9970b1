import { createHmac } from 'node:crypto'
import type { Pool } from 'pg'
import { faultOf } from '@/core/must'
import { recordPath } from '@/core/values/tables'
import { claimNotices, type DueNotice, type Flying, finishNotice } from '@/store/notices'
import type { Clock } from '../clock'
import type { Tell } from '../tell'
import { givesUp, retryDelay } from './policy'
import { keptReply } from './reply'

/** Most notices that are being given to one channel at once: one that does not answer holds up its own alone. */
const FLYING_EACH = 5
const PATIENCE_MS = 10_000

/** A notice as an event: CloudEvents 1.0 in its JSON format, structured mode (CloudEvents HTTP protocol binding, section 3.2). */
export function eventOf(notice: DueNotice, baseUrl: string): Record<string, unknown> {
  return {
    specversion: '1.0',
    id: notice.event_id,
    source: baseUrl,
    type: 'rappel.notice',
    ...(notice.rec === null ? {} : { subject: `${notice.tbl}/${notice.rec}` }),
    time: new Date(notice.created_at).toISOString(),
    datacontenttype: 'application/json',
    data: {
      channel: notice.channel,
      title: notice.title,
      text: notice.body,
      workflow: notice.workflow,
      link: notice.tbl === null ? baseUrl : `${baseUrl}${notice.rec === null ? `/records/${notice.tbl}` : recordPath(notice.tbl, notice.rec)}`,
    },
  }
}

/** The signature that a channel can check a body with: HMAC-SHA-256 (RFC 2104) of the body under the channel's secret. */
export function signatureOf(body: string, secret: string): string {
  return `sha256=${createHmac('sha256', secret).update(body).digest('hex')}`
}

/** What is sent along to a channel's address besides the notice. */
export type HeadersFor = (url: string) => Readonly<Record<string, string>>

/** Gives the channel notices that are due; each channel goes at its own pace. */
export class Notices {
  private readonly flying = new Map<Promise<void>, string>()

  constructor(
    private readonly pool: Pool,
    private readonly baseUrl: string,
    private readonly clock: Clock,
    private readonly more: { readonly headersFor?: HeadersFor; readonly tell?: Tell; readonly onLanded?: () => void } = {},
  ) {}

  /** Begins to give what there is room for; how many those are. */
  async pump(): Promise<number> {
    const now = this.clock()
    const due = await claimNotices(this.pool, FLYING_EACH, this.perChannel(), now, new Date(now.getTime() + 2 * PATIENCE_MS))
    for (const notice of due) this.send(notice)
    return due.length
  }

  /** Waits until all that is being given is. */
  async settle(): Promise<void> {
    await Promise.all(this.flying.keys())
  }

  private send(notice: DueNotice): void {
    const { headersFor = () => ({}), tell, onLanded } = this.more
    const flight = give(this.pool, notice, this.baseUrl, this.clock, headersFor)
      .catch((error: unknown) => tell?.('what came of a notice could not be kept; it is given again', { notice: notice.id, error: faultOf(error) }))
      .finally(() => {
        this.flying.delete(flight)
        onLanded?.()
      })
    this.flying.set(flight, notice.channel)
  }

  private perChannel(): Flying[] {
    const counts = new Map<string, number>()
    for (const channel of this.flying.values()) counts.set(channel, (counts.get(channel) ?? 0) + 1)
    return [...counts].map(([channel, n]) => ({ channel, n }))
  }
}

/** Gives the channel notices that are due, and waits for them; how many there were. */
export async function giveNotices(pool: Pool, baseUrl: string, clock: Clock): Promise<number> {
  const notices = new Notices(pool, baseUrl, clock)
  const count = await notices.pump()
  await notices.settle()
  return count
}

async function give(pool: Pool, notice: DueNotice, baseUrl: string, clock: Clock, headersFor: HeadersFor): Promise<void> {
  const { status, reply } = await post(notice, baseUrl, headersFor)
  const now = clock()
  const isGiven = status >= 200 && status < 300
  const isRefused = status >= 400 && status < 500 && status !== 408 && status !== 429
  const state = isGiven ? 'sent' : isRefused || givesUp(new Date(notice.since), now) ? 'failed' : 'queued'
  await finishNotice(pool, notice.id, notice.attempt, state, reply, new Date(now.getTime() + retryDelay(notice.attempt, Math.random())), now)
}

async function post(notice: DueNotice, baseUrl: string, headersFor: HeadersFor): Promise<{ status: number; reply: string }> {
  if (notice.url === null) return { status: 404, reply: `There is no channel ${notice.channel} any more.` }
  if (notice.secret === null) return { status: 0, reply: 'The channel’s secret cannot be opened with the key of this machine. Give the secret again in Settings.' }
  const answered = await postSigned(notice.url, JSON.stringify(eventOf(notice, baseUrl)), 'application/cloudevents+json; charset=utf-8', notice.secret, headersFor(notice.url))
  return answered.status === 0 ? { status: 0, reply: `The channel's address cannot be reached: ${answered.reply}.` } : answered
}

/** Why an address did not answer: what the connection says, which `fetch` hides behind its own words, or that it took too long. */
function whyNot(error: unknown): string {
  if (typeof error !== 'object' || error === null) return String(error)
  if ('name' in error && error.name === 'TimeoutError') return `it did not answer within ${PATIENCE_MS / 1_000} s`
  const cause = 'cause' in error ? error.cause : null
  const [first] = typeof cause === 'object' && cause !== null && 'errors' in cause && Array.isArray(cause.errors) ? cause.errors : [cause]
  return typeof first === 'object' && first !== null && 'message' in first && first.message ? String(first.message) : faultOf(error)
}

/** Posts a body, signed, and tells how it was answered; status 0, and why, where it was not. Redirections are not followed. */
export async function postSigned(url: string, body: string, type: string, secret: string, more: Readonly<Record<string, string>> = {}): Promise<{ status: number; reply: string }> {
  const headers = { ...more, 'content-type': type, 'x-rappel-signature': signatureOf(body, secret) }
  try {
    const response = await fetch(url, { method: 'POST', body, headers, redirect: 'manual', signal: AbortSignal.timeout(PATIENCE_MS) })
    await response.body?.cancel() // whatever it says besides is of no interest
    return { status: response.status, reply: keptReply(`${response.status} ${response.statusText}`.trim()) }
  } catch (error) {
    return { status: 0, reply: keptReply(whyNot(error)) }
  }
}
