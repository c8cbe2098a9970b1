'use client'

import { useCallback, useMemo, useRef, useState } from 'react'
import { spokenOf } from '@/core/paths/near'
import type { TableDef } from '@/core/values/tables'
import { call } from '../api'

/** Tables as they were sent, those that came short made whole once what is edited speaks of them, and what fetches one before it is chosen. */
export interface Near {
  readonly tables: readonly TableDef[]
  /** To be told what is edited now, of which every table is to be whole. */
  readonly speakOf: (said: unknown) => void
  /** Settles once a table is whole, or cannot be had, so that what is then done with it knows its fields. */
  readonly reach: (table: string) => Promise<void>
}

/** Keeps the tables whole that something edited speaks of, where there were too many to send them all. */
export function useNear(given: readonly TableDef[]): Near {
  /** By the tables as they were sent: what is sent anew is fetched anew. */
  const [whole, setWhole] = useState<ReadonlyMap<TableDef, TableDef>>(new Map())
  const asked = useRef(new Map<TableDef, Promise<void>>())
  const short = useMemo(() => new Map(given.filter((t) => t.short).map((t) => [t.name, t])), [given])
  const tables = useMemo(() => (short.size ? given.map((t) => whole.get(t) ?? t) : given), [given, short, whole])
  const reach = useCallback(
    async (name: string) => {
      const known = short.get(name)
      if (!known) return
      const fetching =
        asked.current.get(known) ??
        call<{ tables: TableDef[] }>('GET', `/api/v1/tables?near=${name}`).then(
          (found) => setWhole((old) => new Map([...old, ...found.tables.map((t) => [short.get(t.name) ?? t, t] as const)])),
          () => void asked.current.delete(known), // it stays short, and is asked for again with the next edit
        )
      asked.current.set(known, fetching)
      await fetching
    },
    [short],
  )
  const speakOf = useCallback(
    (said: unknown) => {
      if (short.size) for (const name of spokenOf(short, said)) void reach(name)
    },
    [short, reach],
  )
  return { tables, speakOf, reach }
}
