'use client'

import { useCallback, useEffect, useRef, useState } from 'react'
import { type Image, type RecordId, recordPath, type Schema, titleOf } from '@/core/values/tables'
import { call } from '../api'

/** Gives the titles of records by table and id: those that are not known yet are fetched once they have been asked for, and are “…” until they are there. */
export function useTitles(schema: Schema): (table: string, id: RecordId) => string {
  const [titles, setTitles] = useState<ReadonlyMap<string, string>>(new Map())
  const wanted = useRef(new Map<string, { table: string; id: RecordId }>())
  // after each time that something was shown: what it asked for and is not known
  useEffect(() => {
    const asked = [...wanted.current.entries()]
    wanted.current.clear()
    for (const [key, { table: name, id }] of asked) {
      const table = schema.get(name)
      if (!table) continue
      void call<Image>('GET', `/api/v1${recordPath(name, id)}`).then(
        (record) => setTitles((old) => new Map(old).set(key, titleOf(table, record))),
        () => setTitles((old) => new Map(old).set(key, `${table.singular.replaceAll('_', ' ')} ${id}, which is gone`)),
      )
    }
  })
  return useCallback(
    (table, id) => {
      const key = `${table} ${id}`
      const title = titles.get(key)
      if (title === undefined) wanted.current.set(key, { table, id })
      return title ?? '…'
    },
    [titles],
  )
}
