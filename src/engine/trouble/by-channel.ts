import type { Pool } from 'pg'
import { troubleNotice } from '@/core/message/trouble'
import { transaction } from '@/store/database'
import { readSettings } from '@/store/settings'
import { countFailedSince, holdChannelTold, noteChannelTold, readTroubleChannel } from '@/store/trouble'
import type { Clock } from '../clock'
import { type HeadersFor, postSigned } from '../delivery/notices'
import type { Tell } from '../tell'
import { GATHER_MS } from './by-mail'
import { Lasting, newsOf, standingForChannel } from './standing'

/** How long after a channel did not take it, it is told again. */
const AGAIN_MS = 60_000

/** Tells the channel that Settings name what is wrong, the mail server first: what is new, at most once an hour, until it takes it. */
export class ChannelTroubles {
  private readonly lasting: Lasting
  /** Until when the channel is let be, on this process's monotonic clock. */
  private restsUntil = 0

  constructor(
    private readonly pool: Pool,
    private readonly baseUrl: string,
    private readonly clock: Clock,
    private readonly tell: Tell,
    private readonly more: { readonly gatherMs?: number; readonly headersFor?: HeadersFor | undefined } = {},
  ) {
    this.lasting = new Lasting(more.gatherMs ?? GATHER_MS)
  }

  /** Tells what there is to tell; whether the channel took anything. @throws Error where the database is away */
  async look(): Promise<boolean> {
    if (performance.now() < this.restsUntil || (await readTroubleChannel(this.pool)) === null) return false
    const lasting = this.lasting.of(await standingForChannel(this.pool, this.clock))
    return transaction(this.pool, async (db) => {
      const channel = await holdChannelTold(db)
      if (!channel) return false
      const now = this.clock()
      const { sums, known, news, isFree } = newsOf(lasting, channel, now)
      const failed = isFree ? await countFailedSince(db, channel.failedSince) : null
      const { name: organisation } = await readSettings(db)
      const notice = failed && troubleNotice(failed, news, { organisation, baseUrl: this.baseUrl })
      if (!notice || channel.secret === null) {
        if (known.length < channel.standing.length) await noteChannelTold(db, null, known)
        return false
      }
      const event = {
        specversion: '1.0',
        id: `trouble ${channel.failedSince.toISOString()}`, // until it is noted as told it is the same, however often it is told
        source: this.baseUrl,
        type: 'rappel.trouble',
        time: now.toISOString(),
        datacontenttype: 'application/json',
        data: { channel: channel.name, ...notice, workflow: null },
      }
      const headers = this.more.headersFor?.(channel.url)
      const { status, reply } = await postSigned(channel.url, JSON.stringify(event), 'application/cloudevents+json; charset=utf-8', channel.secret, headers)
      if (status < 200 || status >= 300) {
        this.restsUntil = performance.now() + AGAIN_MS
        this.tell('the channel that is told what is wrong did not take it; it is told again', { channel: channel.name, reply })
        return false
      }
      await noteChannelTold(db, now, sums)
      return true
    })
  }
}
