'use client'

import { useRouter } from 'next/navigation'
import { useEffect, useState } from 'react'

const AFTER_TYPING_MS = 300

type Filters = { readonly text?: string; readonly [name: string]: string | undefined }

/** Filters of a list that live in the address; what is typed is taken over a moment after the last key. */
export function useAddress(path: string, asked: Filters) {
  const router = useRouter()
  const [text, setText] = useState(asked.text ?? '')
  const hrefOf = (change: Filters) => {
    const query = new URLSearchParams(Object.entries({ ...asked, ...change }).filter((e): e is [string, string] => Boolean(e[1])))
    return `${path}${query.size ? `?${query}` : ''}`
  }
  const go = (change: Filters) => router.replace(hrefOf({ after: '', ...change }), { scroll: false })
  // biome-ignore lint/correctness/useExhaustiveDependencies: only what is typed begins the wait anew
  useEffect(() => {
    if (text === (asked.text ?? '')) return
    const timer = setTimeout(() => go({ text }), AFTER_TYPING_MS)
    return () => clearTimeout(timer)
  }, [text])
  return { text, setText, go, older: (after: number) => hrefOf({ after: String(after) }) }
}
