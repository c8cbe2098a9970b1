import { Decimal } from 'decimal.js'
import type { Threshold } from '../document/figure'
import type { Stored } from '../values/tables'

/** On which side of a threshold a value is: `far` once it has crossed, until it is back past the re-arm value. */
export type Side = 'near' | 'far'

/** A value as the database writes it, exactly; null for blank. */
export type FigureValue = string | null

const isBeyond = (when: Threshold['when'], value: Decimal, line: number) => {
  switch (when) {
    case 'above':
      return value.greaterThan(line)
    case 'at least':
      return value.greaterThanOrEqualTo(line)
    case 'below':
      return value.lessThan(line)
    case 'at most':
      return value.lessThanOrEqualTo(line)
  }
}

/** Whether a value is beyond a threshold; blank is not. */
export function beyond({ when, value: line }: Pick<Threshold, 'when' | 'value'>, value: FigureValue): boolean {
  return value !== null && isBeyond(when, new Decimal(value), line)
}

/**
 * The side after a value: beyond the threshold it is far; from there it is near again past the re-arm value, or when it becomes blank.
 * A value crosses where the side goes from near to far.
 */
export function sideAfter(threshold: Threshold, side: Side, value: FigureValue): Side {
  if (beyond(threshold, value)) return 'far'
  if (side === 'near' || value === null) return 'near'
  return isBeyond(threshold.when, new Decimal(value), threshold.rearm ?? threshold.value) ? 'far' : 'near'
}

/** A value as records hold numbers: as one where JavaScript holds it exactly, else as text. */
export function exactly(value: FigureValue): number | string | null {
  return value === null ? null : value.replace(/\D/g, '').length > 15 ? value : Number(value)
}

/** A group's value, from its JSON. */
export const groupValue = (grp: string): Stored => JSON.parse(grp)
