'use client'

import { useQuery } from '@tanstack/react-query'
import { useMemo } from 'react'
import { call } from '../api'
import type { EditorSetting } from '../editor/setting'
import { installationOf } from './known'

const FRESH_MS = 60_000

/** The installation's words, and how they are read: the grammar of conditions and formulas is a third of what a page would load. */
async function fetchWords() {
  const [setting, reading] = await Promise.all([call<EditorSetting>('GET', '/api/v1/words'), import('./reading')])
  return { setting, reading }
}

/** What words are read with and how, fetched once they are wanted; null until they are there. */
export function useWords(isWanted: boolean) {
  const { data } = useQuery({ queryKey: ['words'], queryFn: fetchWords, enabled: isWanted, staleTime: FRESH_MS })
  return useMemo(() => (data ? { ...data, installation: installationOf(data.setting) } : null), [data])
}
