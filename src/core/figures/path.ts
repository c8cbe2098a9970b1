import type { Threshold } from '../document/figure'
import { type FigureValue, type Line, type Side, sideAfter } from './crossing'

/** A value that a group came to, and the one before. */
export interface Step<T> {
  readonly move: T
  readonly before: FigureValue
  readonly value: FigureValue
  /** The value of the threshold's figure then, where it is another figure's. */
  readonly line?: Line
}

/** The line of a threshold at a step: its own number, or what the other figure came to. */
export const lineAt = ({ value }: Pick<Threshold, 'value'>, step: { readonly line?: Line }): Line => (typeof value === 'number' ? value : (step.line ?? null))

/** Follows values from a side of a threshold: the steps at which they go from near to far, and the side that they end on. */
export function along<S extends { readonly value: FigureValue; readonly line?: Line }>(
  threshold: Pick<Threshold, 'when' | 'value' | 'rearm'>,
  from: Side,
  steps: readonly S[],
): { crossing: S[]; side: Side } {
  let side = from
  const crossing = steps.filter((step) => {
    const was = side
    side = sideAfter(threshold, lineAt(threshold, step), was, step.value)
    return was === 'near' && side === 'far'
  })
  return { crossing, side }
}
