'use client'

import { keepPreviousData, useQuery, useQueryClient } from '@tanstack/react-query'
import { useState } from 'react'
import { useDebounce } from 'use-debounce'
import type { Workflow } from '@/core/document/document'
import { faultOf } from '@/core/must'
import type { ToldRehearsal } from '@/engine/answers/rehearsal'
import { watch } from '../api'

/** What a rehearsal came to, as the API tells it. */
export type ShownRehearsal = ToldRehearsal

/** A past change, as one is pointed at. */
export type PastChange = ShownRehearsal['failed'][number]['example']

const AFTER_MS = 700

/** A rehearsal under way or done. */
export interface Rehearsing {
  readonly answer: ShownRehearsal | null
  readonly busy: boolean
  readonly fault: string | null
  /** How much is done, from 0 to 1. */
  readonly progress: number
  /** Whether it was called off by hand; an edit, or `again`, begins it anew. */
  readonly off: boolean
  readonly days: number
  readonly setDays: (days: number) => void
  readonly again: () => void
  readonly callOff: () => void
}

/** The rehearsal of a draft, asked again after each edit; an older one is called off. `was` is the name it is saved under. */
export function useRehearsal(document: Workflow, was: string | null): Rehearsing {
  const client = useQueryClient()
  const [days, setDays] = useState(30)
  const [progress, setProgress] = useState(0)
  const [off, setOff] = useState<string | null>(null)
  const now = JSON.stringify({ workflow: document, days, samples: 1, was: was ?? undefined })
  const [question] = useDebounce(now, AFTER_MS)
  const queryKey = ['rehearse', question]
  const { data, error, isFetching, refetch } = useQuery({
    queryKey,
    queryFn: ({ signal }) => {
      setProgress(0)
      return watch<ShownRehearsal>('/api/v1/rehearse', JSON.parse(question), signal, setProgress)
    },
    enabled: off !== question,
    placeholderData: keepPreviousData,
  })
  const isOff = off === question && now === question
  return {
    answer: data ?? null,
    busy: !isOff && (isFetching || now !== question),
    fault: isOff || !error ? null : faultOf(error),
    progress: isFetching ? progress : 0,
    off: isOff,
    days,
    setDays,
    again: () => {
      setOff(null)
      void refetch()
    },
    callOff: () => {
      setOff(question)
      void client.cancelQueries({ queryKey })
    },
  }
}
