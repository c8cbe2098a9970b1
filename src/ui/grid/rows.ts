'use client'

import { keepPreviousData, useQueries, useQueryClient } from '@tanstack/react-query'
import { useState } from 'react'
import type { Condition } from '@/core/document/condition'
import { faultOf } from '@/core/must'
import type { Image } from '@/core/values/tables'
import { call } from '../api'

export const PAGE_SIZE = 100

/** How often the rows in view are looked at anew: others write too, and so do workflows. */
const LOOK_EVERY_MS = 5_000

interface Answer {
  readonly records: readonly Image[]
  readonly count: number
  readonly titles: Readonly<Record<string, string>>
}

export interface Rows {
  readonly count: number | null
  readonly fault: string | null
  readonly titles: Readonly<Record<string, string>>
  row(index: number): Image | undefined
  /** Sees to it that the rows from first to last are loaded, and kept up to date. */
  want(first: number, last: number): void
  /** Keeps the rows as they are while one of them is edited, or lets them go on. */
  hold(isHeld: boolean): void
  /** Puts a record's new image in its place. */
  replace(image: Image, titles?: Record<string, string>): void
}

/** The rows of a grid, fetched page by page as they come into view. */
export function useRows(table: string, where: Condition | null, order: string | null): Rows {
  const client = useQueryClient()
  const [pages, setPages] = useState<readonly number[]>([0])
  const [isHeld, hold] = useState(false)
  const query = `order=${encodeURIComponent(order ?? '-id')}&titles&count${where ? `&where=${encodeURIComponent(JSON.stringify(where))}` : ''}`
  const keyOf = (page: number) => ['rows', table, query, page]
  const answers = useQueries({
    queries: pages.map((page) => ({
      queryKey: keyOf(page),
      queryFn: ({ signal }: { signal: AbortSignal }) => call<Answer>('GET', `/api/v1/records/${table}?limit=${PAGE_SIZE}&after=${page * PAGE_SIZE}&${query}`, undefined, signal),
      refetchInterval: isHeld ? false : LOOK_EVERY_MS,
      placeholderData: page === 0 ? keepPreviousData : undefined,
    })),
  })
  const loaded = new Map(pages.map((page, i) => [page, answers[i]?.data]))
  const failed = answers.find((a) => a.error)?.error
  return {
    count: answers.find((a) => a.data)?.data?.count ?? null,
    fault: failed ? faultOf(failed) : null,
    titles: Object.assign({}, ...answers.map((a) => a.data?.titles ?? {})),
    row: (index) => (loaded.get(Math.floor(index / PAGE_SIZE)) ?? client.getQueryData<Answer>(keyOf(Math.floor(index / PAGE_SIZE))))?.records[index % PAGE_SIZE],
    want: (first, last) => {
      const wanted: number[] = []
      for (let page = Math.floor(first / PAGE_SIZE); page <= Math.floor(last / PAGE_SIZE); page++) wanted.push(page)
      if (wanted.join() !== pages.join()) setPages(wanted)
    },
    hold,
    replace: (image, titles) => {
      for (const page of pages)
        client.setQueryData<Answer>(keyOf(page), (old) => old && { ...old, titles: { ...old.titles, ...titles }, records: old.records.map((r) => (r.id === image.id ? image : r)) })
    },
  }
}
