'use client'

import { createContext, type ReactNode, useContext, useMemo } from 'react'
import type { Schema, TableDef } from '@/core/values/tables'

const Tables = createContext<Schema>(new Map())

/** Makes the tables known to whatever is inside. */
export function TablesProvider({ tables, children }: { tables: readonly TableDef[]; children: ReactNode }) {
  const schema = useMemo(() => new Map(tables.map((t) => [t.name, t])), [tables])
  return <Tables.Provider value={schema}>{children}</Tables.Provider>
}

/** Every table by name. */
export function useTables(): Schema {
  return useContext(Tables)
}
