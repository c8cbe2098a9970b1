'use client'

import { useRouter } from 'next/navigation'
import { useEffect, useState } from 'react'
import { call } from '../api'
import { pageOf, type Standing } from './standing'

/** How the edited workflow stands, and a way to look again; the page is not loaded anew, so that nothing being edited is lost. */
export function useStanding(begun: Standing): [Standing, (name: string) => Promise<void>] {
  const [standing, setStanding] = useState(begun)
  const look = async (name: string) => {
    const answer = await call<Standing>('GET', `/api/v1${pageOf(name)}`).catch(() => null)
    if (answer) setStanding(answer)
  }
  return [standing, look]
}

/**
 * Saving a new or renamed draft changes the page's address in place. Coming back to that address by the browser's Back would show
 * the page as it first was: this loads the one that the address names.
 */
export function useTrueAddress(name: string | null): void {
  const router = useRouter()
  // biome-ignore lint/correctness/useExhaustiveDependencies: only the address it is opened at counts
  useEffect(() => {
    const { pathname } = window.location
    if (decodeURIComponent(pathname) !== (name === null ? '/workflows/new' : `/workflows/${name}`)) router.replace(pathname)
  }, [])
}
