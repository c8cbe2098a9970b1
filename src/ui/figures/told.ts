import type { Threshold } from '@/core/document/figure'

/** A threshold as a picture shows it, with how often it would have alerted. */
export interface ToldThreshold extends Threshold {
  readonly alerts: number
}

export interface ToldPoint {
  readonly at: string
  readonly value: number | string | null
}

/** A figure's past as the API tells it. */
export interface PastAnswer {
  readonly from: string
  readonly to: string
  readonly isCut: boolean
  /** Seconds that it is behind; null where it is not. */
  readonly behind: number | null
  readonly lines: readonly {
    readonly group: string | number | boolean | null
    readonly title: string
    readonly points: readonly ToldPoint[]
    readonly limits: Readonly<Record<string, readonly ToldPoint[]>>
  }[]
  readonly groups: number
  readonly alerts: readonly { readonly value: number; readonly crossings: number }[]
  readonly crossings: readonly {
    readonly threshold: string
    readonly at: string
    readonly change: number | null
    readonly group: string | number | boolean | null
    readonly before: number | string | null
    readonly value: number | string | null
  }[]
  readonly counts: Readonly<Record<string, number>>
}

/** How often a threshold would have alerted: as was worked out for it, or, while it is moved, at the nearest height. */
export function alertsOf(threshold: Threshold, past: PastAnswer | null, held: readonly Threshold[]): number {
  const known = held.find((t) => t.name === threshold.name)
  if (!past) return 0
  const { value } = threshold
  if (typeof value !== 'number' || (known?.value === value && known.when === threshold.when && known.rearm === threshold.rearm)) return past.counts[threshold.name] ?? 0
  const nearest = [...past.alerts].sort((a, b) => Math.abs(a.value - value) - Math.abs(b.value - value))[0]
  return nearest?.crossings ?? 0
}
