'use client'

import { useQuery } from '@tanstack/react-query'
import type { Deed } from '@/engine/answers/press'
import { call } from '../api'

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
