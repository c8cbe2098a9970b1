import type { Figure } from '@/core/document/figure'

const COMPARED = { above: '>', 'at least': '>=', below: '<', 'at most': '<=' } as const

/** The side of each threshold that a value `v.value` is on by itself, as SQL. */
export function sidesSql(thresholds: NonNullable<Figure['thresholds']>): string {
  const parts = thresholds.map(
    ({ name, when, value }) =>
      `${literal(name)}, case when v.value ${COMPARED[when]} ${new Intl.NumberFormat('en', { useGrouping: false, maximumFractionDigits: 20 }).format(value)} then 'far' else 'near' end`,
  )
  return parts.length ? `jsonb_build_object(${parts.join(', ')})` : `'{}'::jsonb`
}

const literal = (text: string) => `'${text.replaceAll("'", "''")}'`
