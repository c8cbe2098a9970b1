'use client'

import { useQuery } from '@tanstack/react-query'
import { useEffect, useMemo, useState } from 'react'
import { call } from '../api'
import type { EditorSetting } from '../editor/setting'
import { installationOf, type Known } from './known'

/** How words are read, with the grammar of conditions and formulas: a third of what a page would load, so that it comes once it is wanted. */
type Reading = typeof import('./reading')

const FRESH_MS = 60_000

/** What words are read with and how, fetched once they are wanted; null until they are there. */
export function useWords(isWanted: boolean): (Known & { readonly reading: Reading }) | null {
  const { data } = useQuery({ queryKey: ['words'], queryFn: () => call<EditorSetting>('GET', '/api/v1/words'), enabled: isWanted, staleTime: FRESH_MS })
  const [reading, setReading] = useState<Reading | null>(null)
  useEffect(() => {
    if (isWanted && !reading) void import('./reading').then((module) => setReading(module))
  }, [isWanted, reading])
  return useMemo(() => (data && reading ? { setting: data, installation: installationOf(data), reading } : null), [data, reading])
}
