'use client'

import { useEffect, useState } from 'react'
import { call } from '../api'

export interface Asked<T> {
  readonly answer: T | null
  readonly busy: boolean
  readonly fault: string | null
}

/** Asks the API something about what is being edited, again `delayMs` after each edit; an older question is called off. `body` null asks nothing. */
export function useAsked<T>(path: string, body: unknown, delayMs: number): Asked<T> {
  const [asked, setAsked] = useState<Asked<T>>({ answer: null, busy: false, fault: null })
  const question = body === null ? null : JSON.stringify(body)
  useEffect(() => {
    if (question === null) return setAsked({ answer: null, busy: false, fault: null })
    const abort = new AbortController()
    setAsked((old) => ({ ...old, busy: true }))
    const timer = setTimeout(() => {
      call<T>('POST', path, JSON.parse(question), abort.signal).then(
        (answer) => setAsked({ answer, busy: false, fault: null }),
        (error: unknown) => {
          if (!abort.signal.aborted) setAsked({ answer: null, busy: false, fault: error instanceof Error ? error.message : String(error) })
        },
      )
    }, delayMs)
    return () => {
      clearTimeout(timer)
      abort.abort()
    }
  }, [path, question, delayMs])
  return asked
}
