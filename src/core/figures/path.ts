import type { Threshold } from '../document/figure'
import { type FigureValue, type Side, sideAfter } from './crossing'

/** A value that a group came to, and the one before. */
export interface Step<T> {
  readonly move: T
  readonly before: FigureValue
  readonly value: FigureValue
}

/** A threshold that was crossed by a step. */
export interface Crossed<T> extends Step<T> {
  readonly threshold: Threshold
}

/** Follows values from a side of a threshold: the steps at which they go from near to far, and the side that they end on. */
export function along<S extends { readonly value: FigureValue }>(
  threshold: Pick<Threshold, 'when' | 'value' | 'rearm'>,
  from: Side,
  steps: readonly S[],
): { crossing: S[]; side: Side } {
  let side = from
  const crossing = steps.filter((step) => {
    const was = side
    side = sideAfter(threshold, was, step.value)
    return was === 'near' && side === 'far'
  })
  return { crossing, side }
}

/** Follows a group's values step by step: what it crosses, and on which side of each threshold it is afterwards. */
export function crossed<T>(
  thresholds: readonly Threshold[],
  sides: Readonly<Record<string, Side>>,
  steps: readonly Step<T>[],
): { crossings: Crossed<T>[]; sides: Record<string, Side> } {
  const followed = thresholds.map((threshold) => ({ threshold, ...along(threshold, sides[threshold.name] ?? 'near', steps) }))
  return {
    crossings: followed.flatMap(({ threshold, crossing }) => crossing.map((step) => ({ ...step, threshold }))),
    sides: Object.fromEntries(followed.map(({ threshold, side }) => [threshold.name, side])),
  }
}
