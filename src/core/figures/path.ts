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

/** Follows a group's values step by step: what it crosses, and on which side of each threshold it is afterwards. */
export function crossed<T>(
  thresholds: readonly Threshold[],
  sides: Readonly<Record<string, Side>>,
  steps: readonly Step<T>[],
): { crossings: Crossed<T>[]; sides: Record<string, Side> } {
  const after: Record<string, Side> = {}
  const crossings: Crossed<T>[] = []
  for (const threshold of thresholds) {
    let side = sides[threshold.name] ?? 'near'
    for (const step of steps) {
      const next = sideAfter(threshold, side, step.value)
      if (side === 'near' && next === 'far') crossings.push({ ...step, threshold })
      side = next
    }
    after[threshold.name] = side
  }
  return { crossings, sides: after }
}
