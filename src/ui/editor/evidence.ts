'use client'

import type { Workflow } from '@/core/document/document'
import type { Finding } from '@/core/review/review'
import { useAsked } from '../parts/queries'

const AFTER_TYPING_MS = 60

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
  readonly recipients: readonly { readonly part: string; readonly address: string; readonly name: string | null; readonly path: string | null }[]
  readonly attachments: readonly { readonly name: string; readonly type: string; readonly inline: boolean }[]
  readonly subject: string
  readonly html: string
  readonly text: string
}

export interface ShownHeld {
  readonly path: string
  readonly name: string
  readonly kind: 'record' | 'list' | 'value'
  readonly shown: readonly string[]
  readonly count: number
}

export interface ShownPlan {
  readonly fires: boolean
  readonly why: string
  readonly clauses: readonly { path: string; field: string; before: unknown; after: unknown; holds: boolean }[]
  readonly messages: readonly ShownMessage[]
  readonly updates: readonly { path: string; table: string; id: number; set: Readonly<Record<string, unknown>>; was: Readonly<Record<string, unknown>> }[]
  readonly creates: readonly { path: string; table: string; set: Readonly<Record<string, unknown>> }[]
  readonly notices: readonly { path: string; channel: string | null; to: readonly string[]; title: string; text: string }[]
  readonly tasks: readonly { path: string; subject: string; owner: string | null; due: string | null }[]
  readonly held: readonly ShownHeld[]
  readonly notes: readonly { code: string; path: string; message: string }[]
}

export interface Evidence {
  readonly days: number
  readonly changes: number
  readonly cued: number
  readonly alive: Readonly<Record<string, number>>
  readonly firings: number
  readonly heldBefore: { readonly count: number; readonly example: string | null }
  readonly samples: readonly Sample[]
  readonly sample: number | null
  readonly plan: ShownPlan | null
  /** Where the sample does not fire: what would come of it if it did. */
  readonly preview: ShownPlan | null
  readonly fault: string | null
  readonly placeholders: readonly { readonly path: string; readonly value: string; readonly blank: number }[]
}

export interface Found {
  readonly review: readonly Finding[]
  readonly evidence: Evidence | null
  readonly fault: string | null
}

/** What the newest changes say about the document as it stands, asked again shortly after each edit; `was` is the name it is saved under. */
export function useEvidence(document: Workflow, sample: number | null, was: string | null): Found {
  const { answer, fault } = useAsked<Pick<Found, 'review' | 'evidence'>>('/api/v1/evidence', { workflow: document, sample, was: was ?? undefined }, AFTER_TYPING_MS)
  return { review: answer?.review ?? NOTHING, evidence: answer?.evidence ?? null, fault }
}

const NOTHING: readonly Finding[] = []
