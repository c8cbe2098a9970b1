import type { StandingAnswer } from '@/engine/answers/workflow'

/** How a workflow stands, beside its draft. */
export type Standing = StandingAnswer

/** How a workflow stands that was never saved. */
export const NEVER_SAVED: Standing = { state: 'draft', version: null, live: null, firings: 0, messages: 0, notices: 0, passedBy: 0, held: 0, heldNotices: 0 }

/** Page of the brief of a workflow. */
export const pageOf = (name: string) => `/workflows/${encodeURIComponent(name)}`
