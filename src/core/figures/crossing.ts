import { Decimal } from 'decimal.js'
import type { Threshold } from '../document/figure'
import type { Stored } from '../values/tables'

/** On which side of a threshold a value is: `far` once it has crossed, until it is back past the re-arm value. */
export type Side = 'near' | 'far'

/** A value as the database writes it, exactly; null for blank. */
export type FigureValue = string | null

/** Whether a difference to a line is on the far side; on the line itself it is where the line counts. */
const IS_FAR = {
  above: (difference: number) => difference > 0,
  'at least': (difference: number) => difference >= 0,
  below: (difference: number) => difference < 0,
  'at most': (difference: number) => difference <= 0,
} as const satisfies Record<Threshold['when'], (difference: number) => boolean>

/** How near to a line a value must be for doubles not to tell the side. */
const NEAR = 1e-9

/** A line that values are held against, as it is at a moment: a number, another figure's value, or null where that is blank. */
export type Line = number | string | null

/** Whether a value is on the far side of a line; where doubles cannot tell, exactly. */
function isBeyond(when: Threshold['when'], value: string, line: number | string): boolean {
  const difference = Number(value) - Number(line)
  const isSure = Math.abs(difference) > NEAR * Math.max(1, Math.abs(Number(line)))
  return IS_FAR[when](isSure ? difference : new Decimal(value).comparedTo(line))
}

/** Whether a value is beyond a line; blank is not, nor is anything beyond a blank line. */
export function beyond({ when }: Pick<Threshold, 'when'>, line: Line, value: FigureValue): boolean {
  return value !== null && line !== null && isBeyond(when, value, line)
}

/**
 * The side after a value: beyond the line it is far; from there it is near again past the re-arm value, or when it or the line becomes blank.
 * A value crosses where the side goes from near to far.
 */
export function sideAfter(threshold: Pick<Threshold, 'when' | 'rearm'>, line: Line, side: Side, value: FigureValue): Side {
  if (beyond(threshold, line, value)) return 'far'
  if (side === 'near' || value === null || line === null) return 'near'
  return isBeyond(threshold.when, value, threshold.rearm ?? line) ? 'far' : 'near'
}

/** A value as records hold numbers: as one where JavaScript holds it exactly, else as text. */
export function exactly(value: FigureValue): number | string | null {
  if (value === null) return null
  const decimals = value.split('.')[1]?.length ?? 0
  if (decimals >= DIVIDED) return Number(new Decimal(value).toSignificantDigits(15).toFixed())
  return value.replace(/\D/g, '').length > 15 ? value : Number(value)
}

/** Digits behind the point that only a division gives; what stands beyond the fifteenth of its digits says nothing. */
const DIVIDED = 16

/** A value as it is said: without zeros that say nothing, where JavaScript holds it exactly. */
export const saidValue = (value: FigureValue): string | null => (value === null ? null : String(exactly(value)))

/** A group's value, from its JSON. */
export const groupValue = (grp: string): Stored => JSON.parse(grp)

/** A group of a figure as it stands at a moment; values are written as the database writes numbers. */
export interface Standing {
  readonly figure: string
  /** The group's value; null for blank, and where there are no groups. */
  readonly group: Stored
  readonly value: string | null
  /** How many records are behind the value. */
  readonly count: number
}

/** A crossing as whoever is told of it sees it; values are written as the database writes numbers. */
export interface Crossing extends Standing {
  readonly threshold: string
  /** The threshold's own number, or the value that the other figure had. */
  readonly line: number
  readonly before: string | null
}
