'use client'

import { keepPreviousData, useQueries, useQuery, useQueryClient } from '@tanstack/react-query'
import { useState } from 'react'
import type { Condition } from '@/core/document/condition'
import { faultOf } from '@/core/must'
import type { Image } from '@/core/values/tables'
import type { ColumnSum, RecordGroup } from '@/store/sums'
import { call } from '../api'

export const PAGE_SIZE = 100

/** How often the rows in view are looked at anew: others write too, and so do workflows. */
const LOOK_EVERY_MS = 5_000

/** How often they are counted and summed anew, which goes through all of them. */
const COUNT_EVERY_MS = 15_000

/** Most rows that are asked for at once. */
const MOST_AT_ONCE = 1_000

interface Answer {
  readonly records: readonly Image[]
  readonly titles: Readonly<Record<string, string>>
}

/** What all records that are found come to: how many, each column's sums, and their groups. */
interface Facts {
  readonly count: number
  readonly sums: Readonly<Record<string, ColumnSum>>
  readonly groups?: readonly RecordGroup[]
}

export interface Rows {
  readonly count: number | null
  readonly sums: Readonly<Record<string, ColumnSum>>
  /** The groups that records are gathered in, in order; null where they are in none. */
  readonly groups: readonly RecordGroup[] | null
  readonly fault: string | null
  readonly titles: Readonly<Record<string, string>>
  row(index: number): Image | undefined
  /** All rows from one index to another, also those that are not in view. */
  between(first: number, last: number): Promise<readonly Image[]>
  /** Sees to it that the rows from first to last are loaded, and kept up to date. */
  want(first: number, last: number): void
  /** Keeps the rows as they are while one of them is edited, or lets them go on. */
  hold(isHeld: boolean): void
  /** Puts a record's new image in its place. */
  replace(image: Image, titles?: Record<string, string>): void
}

/** The rows of a grid, fetched page by page as they come into view. */
export function useRows(table: string, where: Condition | null, order: string | null, group: string | null): Rows {
  const client = useQueryClient()
  const [pages, setPages] = useState<readonly number[]>([0])
  const [isHeld, hold] = useState(false)
  const found = where ? `&where=${encodeURIComponent(JSON.stringify(where))}` : ''
  const query = `order=${encodeURIComponent([group, order ?? '-id'].filter(Boolean).join(','))}&titles${found}`
  const facts = useQuery({
    queryKey: ['rows', table, 'facts', group, found],
    queryFn: ({ signal }: { signal: AbortSignal }) =>
      call<Facts>('GET', `/api/v1/records/${table}?limit=1&order=id&count&sums${group ? `&group=${encodeURIComponent(group)}` : ''}${found}`, undefined, signal),
    refetchInterval: isHeld ? false : COUNT_EVERY_MS,
    placeholderData: keepPreviousData,
  })
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
  const failed = facts.error ?? answers.find((a) => a.error)?.error
  return {
    count: facts.data?.count ?? null,
    sums: facts.data?.sums ?? {},
    groups: (group && facts.data?.groups) || null,
    fault: failed ? faultOf(failed) : null,
    titles: Object.assign({}, ...answers.map((a) => a.data?.titles ?? {})),
    row: (index) => (loaded.get(Math.floor(index / PAGE_SIZE)) ?? client.getQueryData<Answer>(keyOf(Math.floor(index / PAGE_SIZE))))?.records[index % PAGE_SIZE],
    between: async (first, last) => {
      const all: Image[] = []
      for (let at = first; at <= last; at += MOST_AT_ONCE)
        all.push(...(await call<Answer>('GET', `/api/v1/records/${table}?limit=${Math.min(MOST_AT_ONCE, last - at + 1)}&after=${at}&${query}`)).records)
      return all
    },
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
