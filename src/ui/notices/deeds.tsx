'use client'

import { useQueryClient } from '@tanstack/react-query'
import type { NoticeRow } from '@/store/notice-log'
import { call } from '../api'
import { Button } from '../parts/button'
import { useDeed } from '../parts/deed'

/** Says that one has read some notices, or all. */
export function ReadButton({ ids, children }: { ids?: readonly number[]; children: string }) {
  const { busy, act } = useDeed()
  const client = useQueryClient()
  const read = async () => {
    await call('POST', '/api/v1/notices/read', ids && { ids })
    await client.invalidateQueries({ queryKey: ['unread'] })
  }
  return (
    <Button disabled={busy} onClick={() => act(read, ids ? 'Read.' : 'All of them are read.')}>
      {children}
    </Button>
  )
}

/** What can be done about a notice for a channel: give it again where it failed, call it off while it waits. */
export function ChannelDeeds({ notice: { id, state, channel } }: { notice: Pick<NoticeRow, 'id' | 'state' | 'channel'> }) {
  const { busy, act } = useDeed()
  if (channel === null) return null
  if (state === 'failed')
    return (
      <Button disabled={busy} onClick={() => act(() => call('POST', `/api/v1/notices/${id}/retry`), `It is being given to ${channel} again.`)}>
        Try again
      </Button>
    )
  if (state !== 'queued' && state !== 'held') return null
  return (
    <Button kind="alarm" disabled={busy} onClick={() => act(() => call('POST', `/api/v1/notices/${id}/cancel`), 'Called off.')}>
      Call it off
    </Button>
  )
}
