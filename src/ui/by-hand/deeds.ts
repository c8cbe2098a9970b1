'use client'

import { useQuery } from '@tanstack/react-query'
import type { Ask } from '@/core/document/document'
import { call } from '../api'

/** A workflow that one may run by hand. */
export interface Deed {
  readonly workflow: string
  readonly note: string | null
  readonly table: string
  readonly per: 'record' | 'all' | 'none'
  readonly ask: readonly Ask[]
}

/** What one may run by hand, for records of a table, or of all; `wanted` false asks nothing. */
export function useDeeds(table: string | null, wanted = true): readonly Deed[] {
  const { data } = useQuery({
    queryKey: ['deeds', table],
    queryFn: async () => (await call<{ deeds: readonly Deed[] }>('GET', `/api/v1/deeds${table ? `?table=${encodeURIComponent(table)}` : ''}`)).deeds,
    enabled: wanted,
    staleTime: 10_000,
  })
  return data ?? []
}
