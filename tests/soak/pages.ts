import type { Pool } from 'pg'
import { must } from '@/core/must'
import { administratorsCookie } from '../support/signed-in'
import { pause } from './chance'

/** Pages that are looked at all day, while everything else goes on. */
const LOOKED_AT = ['/', '/workflows', '/workflows/done%20K01', '/records', '/records/jobs', '/runs', '/messages', '/figures', '/people/mail', '/under-the-hood', '/settings']

/** One look at a page: when it was asked for, in milliseconds since 1970, and how many its answer took. */
export interface Look {
  readonly at: number
  readonly ms: number
}

/** The looks at each page, and how many had no answer. */
export interface PageTimes {
  readonly byPage: Map<string, Look[]>
  failed: number
}

/** Looks at one page after the other as somebody signed in does, one a second and a half, until it is off. */
export async function lookAtPages(pool: Pool, url: string, isOn: () => boolean): Promise<PageTimes> {
  const times: PageTimes = { byPage: new Map(LOOKED_AT.map((page) => [page, []])), failed: 0 }
  const cookie = await administratorsCookie(pool, new URL(url).port)
  for (let i = 0; isOn(); i++) {
    await pause(1_500)
    const page = must(LOOKED_AT[i % LOOKED_AT.length])
    const [at, start] = [Date.now(), performance.now()]
    const status = await fetch(`${url}${page}`, { headers: { cookie }, redirect: 'manual', signal: AbortSignal.timeout(20_000) })
      .then(async (response) => {
        await response.text()
        return response.status
      })
      .catch(() => 0) // it was killed, perhaps in the middle of a page
    if (status === 200) times.byPage.get(page)?.push({ at, ms: performance.now() - start })
    else times.failed++
  }
  return times
}
