import pg from 'pg'
import type { Threshold } from '@/core/document/figure'

const COMPARED = { above: '>', 'at least': '>=', below: '<', 'at most': '<=' } as const

/** The side of each threshold at a number that a value `v.value` is on by itself, as SQL. */
export function sidesSql(thresholds: readonly Threshold[]): string {
  const parts = thresholds.flatMap(({ name, when, value }) =>
    typeof value === 'number' ? [`${pg.escapeLiteral(name)}, case when v.value ${COMPARED[when]} ${value}::numeric then 'far' else 'near' end`] : [],
  )
  return parts.length ? `jsonb_build_object(${parts.join(', ')})` : `'{}'::jsonb`
}
