import { useRef } from 'react'

/** What has not come back by then was overtaken by a later edit and never will. */
const LATEST_MS = 3_000

/**
 * Tells what comes back from one's own edits apart from what comes from elsewhere: an editor that holds its own text hands each edit on and gets it
 * back a little later, when more may have been typed already; only what it never handed on is to be taken over.
 */
export function useEcho(): { emitted: (value: string) => void; isEcho: (value: string) => boolean } {
  const waiting = useRef<{ value: string; at: number }[]>([])
  return {
    emitted: (value) => void waiting.current.push({ value, at: Date.now() }),
    isEcho: (value) => {
      const fresh = waiting.current.filter((w) => Date.now() - w.at < LATEST_MS)
      const at = fresh.findIndex((w) => w.value === value)
      waiting.current = fresh.slice(at + 1)
      return at >= 0
    },
  }
}
