'use client'

import { keepPreviousData, QueryClient, QueryClientProvider, useQuery } from '@tanstack/react-query'
import { type ReactNode, useEffect, useEffectEvent, useState } from 'react'
import { useDebounce } from 'use-debounce'
import { faultOf } from '@/core/must'
import { call } from '../api'

/** What the pages below ask of the API is kept, called off and put in order by one client. A question that fails is not asked again by itself: what is edited asks anew anyway. */
export function Queries({ children }: { children: ReactNode }) {
  const [client] = useState(() => new QueryClient({ defaultOptions: { queries: { retry: false, refetchOnWindowFocus: false } } }))
  return <QueryClientProvider client={client}>{children}</QueryClientProvider>
}

/** How a question stands. */
export interface Asked<T> {
  /** The newest answer; while another is under way, the one before. */
  readonly answer: T | null
  readonly busy: boolean
  readonly fault: string | null
}

/** Asks the API something about what is being edited, again `delayMs` after each edit; an older question is called off. `body` null asks nothing. */
export function useAsked<T>(path: string, body: unknown, delayMs: number): Asked<T> {
  const now = body === null ? null : JSON.stringify(body)
  const [question] = useDebounce(now, delayMs)
  const { data, error, isFetching } = useQuery({
    queryKey: [path, question],
    queryFn: ({ signal }) => call<T>('POST', path, question === null ? undefined : JSON.parse(question), signal),
    enabled: question !== null,
    placeholderData: keepPreviousData,
  })
  if (now === null) return { answer: null, busy: false, fault: null }
  return { answer: data ?? null, busy: isFetching || question !== now, fault: error && faultOf(error) }
}

/** A deed that rests on an answer: done at once, or, while a newer answer is under way, as soon as it is there. */
export function useOnceKnown(busy: boolean, deed: () => void): () => void {
  const [isWanted, setWanted] = useState(false)
  const act = useEffectEvent(deed)
  useEffect(() => {
    if (!isWanted || busy) return
    setWanted(false)
    act()
  }, [isWanted, busy])
  return () => setWanted(true)
}
