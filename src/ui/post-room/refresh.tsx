'use client'

import { useRouter } from 'next/navigation'
import { useEffect } from 'react'

const EVERY_MS = 1_000

/** Keeps the page up to date while it is looked at. */
export function PostRoomRefresh({ newest }: { newest: number }) {
  const router = useRouter()
  // biome-ignore lint/correctness/useExhaustiveDependencies: a page that came anew starts its wait anew
  useEffect(() => {
    const timer = setInterval(() => document.visibilityState === 'visible' && router.refresh(), EVERY_MS)
    return () => clearInterval(timer)
  }, [router, newest])
  return null
}
