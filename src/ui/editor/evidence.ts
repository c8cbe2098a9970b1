'use client'

import { useEffect, useState } from 'react'
import type { Finding } from '@/core/review/review'
import type { Workflow } from '@/core/workflow/document'
import { call, Refusal } from '../api'

const AFTER_TYPING_MS = 120

export interface Sample {
  readonly id: number
  readonly record: number
  readonly title: string
  readonly kind: 'created' | 'changed' | 'deleted'
  readonly at: string
  readonly fires: boolean
}

export interface ShownMessage {
  readonly action: string
  readonly path: string
  readonly from: { readonly name: string | null; readonly address: string }
  readonly to: readonly string[]
  readonly cc: readonly string[]
  readonly bcc: readonly string[]
  readonly replyTo: string | null
  readonly subject: string
  readonly text: string
}

export interface ShownPlan {
  readonly fires: boolean
  readonly why: string
  readonly clauses: readonly { path: string; field: string; before: unknown; after: unknown; holds: boolean }[]
  readonly messages: readonly ShownMessage[]
  readonly notes: readonly { code: string; path: string; message: string }[]
}

export interface Evidence {
  readonly changes: number
  readonly cued: number
  readonly alive: Readonly<Record<string, number>>
  readonly firings: number
  readonly samples: readonly Sample[]
  readonly sample: number | null
  readonly plan: ShownPlan | null
  readonly fault: string | null
}

export interface Found {
  readonly review: readonly Finding[]
  readonly evidence: Evidence | null
  readonly fault: string | null
}

/** What the newest changes say about the document as it stands, asked again shortly after each edit. */
export function useEvidence(document: Workflow, sample: number | null): Found {
  const [found, setFound] = useState<Found>({ review: [], evidence: null, fault: null })
  useEffect(() => {
    const abort = new AbortController()
    const timer = setTimeout(() => {
      call<{ review: Finding[]; evidence: Evidence | null }>('POST', '/api/v1/evidence', { workflow: document, sample }, abort.signal).then(
        (answer) => setFound({ ...answer, fault: null }),
        (error: unknown) => {
          if (!abort.signal.aborted) setFound((old) => ({ ...old, fault: error instanceof Refusal ? error.message : String(error) }))
        },
      )
    }, AFTER_TYPING_MS)
    return () => {
      clearTimeout(timer)
      abort.abort()
    }
  }, [document, sample])
  return found
}
