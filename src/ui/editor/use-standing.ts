'use client'

import { useQuery, useQueryClient } from '@tanstack/react-query'
import { useRouter } from 'next/navigation'
import { useEffect } from 'react'
import { call } from '../api'
import { pageOf, type Standing } from './standing'

/** How the edited workflow stands, and a way to look again (`saved` where it has just got a name), which answers how it stood where that cannot be asked; the page is not loaded anew, so that nothing being edited is lost. */
export function useStanding(begun: Standing, name: string | null): [Standing, (saved?: string) => Promise<Standing>] {
  const client = useQueryClient()
  const ask = (of: string) => ({ queryKey: ['standing', of], queryFn: () => call<Standing>('GET', `/api/v1${pageOf(of)}`) })
  const { data } = useQuery({ ...ask(name ?? ''), enabled: false, initialData: begun })
  return [
    data,
    async (saved) => {
      const of = saved ?? name
      if (of === null) return data
      await client.cancelQueries({ queryKey: ask(of).queryKey }) // one that is under way may answer how it stood before what was just done
      return client.fetchQuery({ ...ask(of), staleTime: 0 }).catch(() => data)
    },
  ]
}

/**
 * Saving a new or renamed draft changes the page's address in place. Coming back to that address by the browser's Back would show
 * the page as it first was: this loads the one that the address names.
 */
export function useTrueAddress(name: string | null): void {
  const router = useRouter()
  // biome-ignore lint/correctness/useExhaustiveDependencies: only the address it is opened at counts
  useEffect(() => {
    const { pathname } = window.location
    if (decodeURIComponent(pathname) !== (name === null ? '/workflows/new' : `/workflows/${name}`)) router.replace(pathname)
  }, [])
}
