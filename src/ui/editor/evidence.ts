'use client'

import { useState } from 'react'
import type { Workflow } from '@/core/document/document'
import type { Json } from '@/core/json'
import type { Finding } from '@/core/review/review'
import type { RecordId } from '@/core/values/tables'
import type { ShownPlan } from '@/core/workflow/shown'
import type { Evidence as Gathered } from '@/engine/evidence'
import { useAsked } from '../parts/queries'

const AFTER_TYPING_MS = 20

export type { ShownPlan }
export type ShownMessage = Json<ShownPlan['messages'][number]>

/** What the newest changes say, as the API tells it: its plans are shown ones. */
export type Evidence = Omit<Json<Gathered>, 'plan' | 'preview'> & {
  readonly plan: ShownPlan | null
  /** Where the sample does not fire: what would come of it if it did. */
  readonly preview: ShownPlan | null
}

export type Sample = Evidence['samples'][number]

export interface Found {
  readonly review: readonly Finding[]
  readonly evidence: Evidence | null
  /** Whether both are of the document as it was before the last edit, and new ones are under way. */
  readonly busy: boolean
  readonly fault: string | null
}

type Answer = Pick<Found, 'review' | 'evidence'>

/**
 * What the recorded changes say about the document as it stands, asked again shortly after each edit; `was` is the name it is saved under. Where there are many, the newest of them
 * answer first; `reach` is the JSON Pointer of a branch that the sample is to reach. While a draft cannot be looked at, as with half a cue, what was last known of the same table stays.
 */
export function useEvidence(document: Workflow, sample: RecordId | null, was: string | null, reach?: string): Found {
  const question = { workflow: document, sample, was: was ?? undefined, ...(sample === null && reach ? { reach } : {}) }
  const first = useAsked<Answer>('/api/v1/evidence', { ...question, part: 'newest' }, AFTER_TYPING_MS)
  const isPart = !first.busy && first.answer?.evidence?.since !== undefined
  const whole = useAsked<Answer>('/api/v1/evidence', isPart ? question : null, 0)
  const { answer, fault } = isPart && whole.answer && !whole.busy ? whole : first
  const { busy } = first
  const now = answer?.evidence ?? null
  const [last, setLast] = useState<{ readonly table: string; readonly evidence: Evidence } | null>(null)
  if (now && now !== last?.evidence) setLast({ table: document.table, evidence: now })
  const kept = last?.table === document.table ? last.evidence : null
  return { review: answer?.review ?? NOTHING, evidence: now ?? (document.table ? kept : null), busy, fault }
}

const NOTHING: readonly Finding[] = []
