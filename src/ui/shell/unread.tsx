'use client'

import { useQuery } from '@tanstack/react-query'
import { call } from '../api'

const LOOK_EVERY_MS = 60_000

/** How many notices whoever is signed in has not read, looked at anew while the page is in view; nothing where there is none. */
export function Unread({ first }: { first: number }) {
  const { data } = useQuery({
    queryKey: ['unread'],
    queryFn: ({ signal }) => call<{ unread: number }>('GET', '/api/v1/notices/unread', undefined, signal),
    initialData: { unread: first },
    staleTime: LOOK_EVERY_MS,
    refetchInterval: LOOK_EVERY_MS,
  })
  if (data.unread === 0) return null
  const many = data.unread > 99 ? 'more than 99' : String(data.unread)
  return (
    <span className="ml-1 font-semibold text-rope text-sm" title={`${many} ${data.unread === 1 ? 'notice' : 'notices'} for you not read`}>
      <span aria-hidden>{data.unread > 99 ? '99+' : data.unread}</span>
      <span className="sr-only"> {many} not read</span>
    </span>
  )
}
