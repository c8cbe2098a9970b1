'use client'

import { useEffect } from 'react'

/** Gives what is cut off for want of room its whole text, for whoever points at it or comes to it by key: names and amounts are never cut without a way to read them. */
export function ReadWhole() {
  useEffect(() => {
    const give = (event: Event) => {
      const cut = event.target instanceof Element ? event.target.closest<HTMLElement>('.truncate') : null
      if (!cut || cut.title || cut.scrollWidth <= cut.clientWidth) return
      cut.title = (cut instanceof HTMLInputElement ? cut.value : cut.textContent).trim()
    }
    document.addEventListener('pointerover', give, { passive: true })
    document.addEventListener('focusin', give)
    return () => {
      document.removeEventListener('pointerover', give)
      document.removeEventListener('focusin', give)
    }
  }, [])
  return null
}
