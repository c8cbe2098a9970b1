import type { Workflow } from '@/core/document/document'

/** How a workflow stands, beside its draft. */
export interface Standing {
  readonly state: 'draft' | 'live' | 'paused'
  readonly version: number | null
  readonly live: Workflow | null
  readonly firings: number
  readonly messages: number
  /** Changes that passed it by while it was paused and were not run after all. */
  readonly passedBy: number
}

/** How a workflow stands that was never saved. */
export const NEVER_SAVED: Standing = { state: 'draft', version: null, live: null, firings: 0, messages: 0, passedBy: 0 }

/** Page of the brief of a workflow. */
export const pageOf = (name: string) => `/workflows/${encodeURIComponent(name)}`
