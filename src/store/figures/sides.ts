import pg from 'pg'
import type { Figure } from '@/core/document/figure'

const COMPARED = { above: '>', 'at least': '>=', below: '<', 'at most': '<=' } as const

/** The side of each threshold that a value `v.value` is on by itself, as SQL. */
export function sidesSql(thresholds: NonNullable<Figure['thresholds']>): string {
  const parts = thresholds.map(({ name, when, value }) => `${pg.escapeLiteral(name)}, case when v.value ${COMPARED[when]} ${value}::numeric then 'far' else 'near' end`)
  return parts.length ? `jsonb_build_object(${parts.join(', ')})` : `'{}'::jsonb`
}
