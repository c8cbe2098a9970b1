'use client'

import { createContext, type ReactNode, useContext } from 'react'
import type { Organisation } from '@/core/values/tables'

/** How the organisation writes and where it is. */
export type OrganisationsWay = Pick<Organisation, 'locale' | 'zone'>

const Context = createContext<OrganisationsWay>({ locale: 'en-GB', zone: 'UTC' })

/** Makes the organisation's ways known to whatever is inside. */
export function OrganisationProvider({ locale, zone, children }: OrganisationsWay & { children: ReactNode }) {
  return <Context.Provider value={{ locale, zone }}>{children}</Context.Provider>
}

/** The organisation's ways of writing, and its zone. */
export const useOrganisation = (): OrganisationsWay => useContext(Context)
