'use client'

import { useRouter } from 'next/navigation'
import { useEffect } from 'react'

/** How often the page of a record is looked at anew: while something was just done to it, its runs and mail are on their way. */
const SOON_MS = 1_500
const LATER_MS = 15_000
const JUST_NOW_MS = 60_000

let isHeld = false

/** Keeps the page as it is from now on: what it shows is about to be gone, and so is the page. */
export function holdRefresh(): void {
  isHeld = true
}

/** Keeps a record's page, with its timeline, up to date while it is looked at. */
export function RecordRefresh({ newest }: { newest: string | null }) {
  const router = useRouter()
  useEffect(() => {
    isHeld = false
    const begun = Date.now()
    let last = 0
    const timer = setInterval(() => {
      const isJustNow = Math.max(begun, newest === null ? 0 : new Date(newest).getTime()) + JUST_NOW_MS > Date.now()
      if (isHeld || document.visibilityState !== 'visible' || Date.now() - last < (isJustNow ? SOON_MS : LATER_MS)) return
      last = Date.now()
      router.refresh()
    }, SOON_MS)
    return () => clearInterval(timer)
  }, [router, newest])
  return null
}
