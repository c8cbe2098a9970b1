'use client'

import { useEffect } from 'react'

/** Whether a part of the program is not to be had any more: the application was upgraded since its page was opened, and consists of others now. */
const isOfBefore = (error: Error) => error.name === 'ChunkLoadError'

const LOADED_ANEW = 'rappel loaded anew'
const AGAIN_AFTER_MS = 30_000

/** Loads the page anew, as it is now; where that was done just now, or there is no network, it does not help. */
function loadAnew(): void {
  if (!navigator.onLine || Date.now() - Number(sessionStorage.getItem(LOADED_ANEW)) < AGAIN_AFTER_MS) return
  sessionStorage.setItem(LOADED_ANEW, String(Date.now()))
  window.location.reload()
}

export default function ErrorPage({ error, reset }: { error: Error; reset: () => void }) {
  useEffect(() => {
    if (isOfBefore(error)) loadAnew()
  }, [error])
  return (
    <main className="mx-auto max-w-[52ch] px-7 py-[18vh] font-serif text-lg">
      <h1 className="mb-2 text-2xl">This page could not be shown</h1>
      <p className="text-muted">Something it needs did not answer. Nothing was changed or lost.</p>
      <button type="button" onClick={isOfBefore(error) ? () => window.location.reload() : reset} className="mt-3 text-spruce underline underline-offset-4">
        Try again
      </button>
    </main>
  )
}
