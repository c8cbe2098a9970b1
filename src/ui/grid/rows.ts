'use client'

import { useCallback, useEffect, useRef, useState } from 'react'
import type { Condition } from '@/core/conditions/clause'
import type { Image } from '@/core/values/tables'
import { call } from '../api'

export const PAGE_SIZE = 100

interface Answer {
  readonly records: Image[]
  readonly count?: number
  readonly titles?: Record<string, string>
}

export interface Rows {
  readonly count: number | null
  readonly fault: string | null
  readonly titles: Readonly<Record<string, string>>
  row(index: number): Image | undefined
  /** Sees to it that the rows from first to last are loaded. */
  want(first: number, last: number): void
  /** Puts a record's new image in its place. */
  replace(image: Image, titles?: Record<string, string>): void
  reload(): void
}

/** The rows of a grid, fetched page by page as they come into view. */
export function useRows(table: string, where: Condition | null, order: string | null): Rows {
  const [pages, setPages] = useState<ReadonlyMap<number, Image[]>>(new Map())
  const [titles, setTitles] = useState<Record<string, string>>({})
  const [count, setCount] = useState<number | null>(null)
  const [fault, setFault] = useState<string | null>(null)
  const asked = useRef(new Set<number>())
  const query = `order=${encodeURIComponent(order ?? '-id')}&titles${where ? `&where=${encodeURIComponent(JSON.stringify(where))}` : ''}`
  const current = useRef(query)

  const fetchPage = useCallback(
    async (page: number) => {
      if (asked.current.has(page)) return
      asked.current.add(page)
      try {
        const answer = await call<Answer>('GET', `/api/v1/records/${table}?limit=${PAGE_SIZE}&after=${page * PAGE_SIZE}&${query}${page === 0 ? '&count' : ''}`)
        if (current.current !== query) return
        setFault(null)
        setPages((old) => new Map(old).set(page, answer.records))
        setTitles((old) => ({ ...old, ...answer.titles }))
        if (answer.count !== undefined) setCount(answer.count)
      } catch (error) {
        asked.current.delete(page)
        setFault((error as Error).message)
      }
    },
    [table, query],
  )

  const reload = useCallback(() => {
    current.current = query
    asked.current = new Set()
    setPages(new Map())
    void fetchPage(0)
  }, [query, fetchPage])

  useEffect(reload, [reload])

  return {
    count,
    fault,
    titles,
    row: (index) => pages.get(Math.floor(index / PAGE_SIZE))?.[index % PAGE_SIZE],
    want: (first, last) => {
      for (let page = Math.floor(first / PAGE_SIZE); page <= Math.floor(last / PAGE_SIZE); page++) void fetchPage(page)
    },
    replace: (image, more) => {
      setPages((old) => new Map([...old].map(([page, rows]) => [page, rows.map((r) => (r.id === image.id ? image : r))])))
      if (more) setTitles((old) => ({ ...old, ...more }))
    },
    reload,
  }
}
