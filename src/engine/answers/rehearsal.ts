import type { Json } from '@/core/json'
import type { Finding } from '@/core/review/review'
import { shownMessage } from '@/core/workflow/shown'
import type { ReadRehearsal } from '../rehearsal/result'

/** A rehearsal as the API tells it; `left` counts the errors for which lines were left out. */
export function toldRehearsal({ survivors, compared, samples, digest: _gathered, digestSample, ...rest }: ReadRehearsal, review: readonly Finding[]) {
  return {
    ...rest,
    survivors: [{ path: '/cue', count: rest.cued }, ...survivors, { path: '/firings', count: rest.firings }],
    samples: samples.map((s) => ({ change: s.change, messages: s.messages.map(shownMessage) })),
    compared: compared ?? undefined,
    digest: digestSample,
    review,
    left: review.filter((f) => f.level === 'error').length,
  }
}

/** The same as it arrives. */
export type ToldRehearsal = Json<ReturnType<typeof toldRehearsal>>
