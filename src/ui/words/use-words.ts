'use client'

import { useQuery } from '@tanstack/react-query'
import { useMemo } from 'react'
import type { Installation } from '@/core/words/read/installation'
import { call } from '../api'
import { type EditorSetting, wordingOf } from '../editor/setting'

/** What words are read with in the browser, and briefs edited. */
export interface Words {
  readonly setting: EditorSetting
  readonly installation: Installation
}

const FRESH_MS = 60_000

/** The installation's words as they are read with, from what briefs are edited with. */
export function installationOf(setting: EditorSetting): Installation {
  const { groups, teams, channels, templates, senders, files, me } = setting
  return { ...wordingOf(setting), groups, teams, channels, templates, senders, files: files.map((f) => f.name), me }
}

/** The installation's words, fetched once they are wanted; null until they are there. */
export function useWords(isWanted: boolean): Words | null {
  const { data } = useQuery({ queryKey: ['words'], queryFn: () => call<EditorSetting>('GET', '/api/v1/words'), enabled: isWanted, staleTime: FRESH_MS })
  return useMemo(() => (data ? { setting: data, installation: installationOf(data) } : null), [data])
}
