import type { Workflow } from '@/core/document/document'
import type { PastChange, RehearsalTally } from '@/core/rehearsal/tally'
import type { Overlap } from '@/core/rehearsal/warnings'
import type { Span } from '@/store/history'
import type { DigestSample } from './digest-sample'
import type { StaysTold } from './follow-through'
import type { Narrowing } from './narrow'

/** A moment of the past of a timetable, and what would have come of it. */
export interface PastTick {
  readonly at: Date
  /** Records that fitted. */
  readonly fit: number
  readonly firings: number
  readonly messages: number
}

/** A rehearsal, and how many seconds what it was done on is behind; null where it is not. */
export interface ReadRehearsal extends Rehearsal {
  readonly behind: number | null
}

/** What a draft would have done over a span, and how that differs from the version that is live. */
export interface Rehearsal extends Narrowing, RehearsalTally {
  /** Placeholders of the record that were blank in firings; at most the newest 500 firings are looked at. */
  readonly blanks: readonly { readonly placeholder: string; readonly count: number; readonly share: number }[]
  /** Other live workflows of the table that write to the same people on the same changes; the newest firings are looked at. */
  readonly overlaps: readonly Overlap[]
  /** Against the live version: changes at which only the draft fires, and those at which only the live version does. */
  readonly compared: { readonly added: readonly PastChange[]; readonly gone: readonly PastChange[] } | null
  /** Fields that it speaks of and that its table had only later in the span: before, they counted as blank. */
  readonly late: readonly { readonly label: string; readonly at: Date }[]
  /** What became of what was to stay so, where that is asked for; then `firings` are those that did. */
  readonly stays?: StaysTold
  /** The digest that would have gathered most, as it would have arrived. */
  readonly digestSample?: DigestSample
  /** The moments of a timetable, newest first, and how many there were in all. */
  readonly ticks?: { readonly all: number; readonly told: readonly PastTick[] }
}

export interface RehearsalOptions {
  readonly span: Span
  /** How many firings are shown with their mail. */
  readonly samples: number
  readonly live: Workflow | null
  /** The other workflows that are live. */
  readonly others?: readonly Workflow[]
  readonly signal?: AbortSignal
  /** Told from time to time how much is done, from 0 to 1. */
  readonly progress?: (done: number) => void
}
