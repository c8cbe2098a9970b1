'use client'

import { createContext, type ReactNode, useContext, useMemo } from 'react'
import type { Schema, TableDef } from '@/core/values/tables'
import type { Near } from './use-near'

const Tables = createContext<Schema>(new Map())
const Reach = createContext<Near['reach']>(async () => undefined)

interface Props {
  readonly tables: readonly TableDef[]
  /** What makes a short table whole, where there may be any. */
  readonly reach?: Near['reach']
  readonly children: ReactNode
}

/** Makes the tables known to whatever is inside. */
export function TablesProvider({ tables, reach, children }: Props) {
  const schema = useMemo(() => new Map(tables.map((t) => [t.name, t])), [tables])
  const inside = <Tables.Provider value={schema}>{children}</Tables.Provider>
  return reach ? <Reach.Provider value={reach}>{inside}</Reach.Provider> : inside
}

/** What a table is made whole with before it is chosen. */
export const useReach = (): Near['reach'] => useContext(Reach)

/** Every table by name. */
export function useTables(): Schema {
  return useContext(Tables)
}
