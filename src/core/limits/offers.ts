import type { Limits, Workflow } from '../document/document'
import type { Organisation } from '../values/tables'

/** The digest that is offered where the organisation has no times of its own. */
const TWICE = ['08:00', '16:00']

/** Limits that would make a workflow's mail less, the mildest first; those that it has already, or stronger ones, are not offered. */
export function limitsToTry({ cue, limits = {} }: Pick<Workflow, 'cue' | 'limits'>, { digestAt }: Pick<Organisation, 'digestAt'>): Limits[] {
  const per = cue.kind === 'record' ? 'record' : cue.kind === 'figure' || ('per' in cue && cue.per === 'group') ? 'group' : null
  const twice: Limits = { digest: { at: digestAt?.length ? 'organisation' : [...TWICE] } }
  return [
    ...(per && !limits.spacing ? [{ spacing: { per, every: 'PT1H' } } as const] : []),
    ...(limits.digest ? [] : [{ digest: { every: 'PT1H' } }, twice]),
    ...(per && !limits.spacing ? [{ spacing: { per, every: 'P1D' } } as const] : []),
    ...(limits.digest ? [] : [{ digest: { at: [TWICE[0] ?? ''] } }]),
  ]
}

/** A limit that is offered to somebody, with what it would make of their mail and of everybody's. */
export interface Offer {
  readonly limits: Limits
  /** In words, as the line of the brief that it would be. */
  readonly words: string
  readonly messages: number
  readonly all: number
}

/** What a workflow would have sent to an address and to all, and the limits that would lessen it; `halves` is the place of the mildest that halves the address's. */
export interface Offers {
  readonly messages: number
  readonly all: number
  readonly offers: readonly Offer[]
  readonly halves: number | null
}

/** The place of the first offer that brings what somebody gets down to half or less. */
export function halving(messages: number, offers: readonly Pick<Offer, 'messages'>[]): number | null {
  const at = offers.findIndex((o) => o.messages * 2 <= messages)
  return at < 0 ? null : at
}
