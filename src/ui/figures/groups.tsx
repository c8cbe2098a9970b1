'use client'

import type { Threshold } from '@/core/document/figure'
import type { PastAnswer } from './told'

/** The groups of a figure with their values, those nearest to a threshold first; one is picked to be drawn strongly. */
export function GroupTable({
  past,
  thresholds,
  chosen,
  onChoose,
  shown,
}: {
  past: PastAnswer
  thresholds: readonly Threshold[]
  chosen: number
  onChoose: (place: number) => void
  shown: (value: number | string | null) => string
}) {
  if (past.groups < 2) return null
  const rows = past.lines.map((l, place) => ({ ...l, place, value: l.points.at(-1)?.value ?? null, first: l.points[0]?.value ?? null }))
  const distance = (value: number | string | null) =>
    value === null ? Number.POSITIVE_INFINITY : Math.min(...thresholds.map((t) => Math.abs(Number(value) - (typeof t.value === 'number' ? t.value : Number(value)))))
  const sorted = thresholds.length ? [...rows].sort((a, b) => distance(a.value) - distance(b.value)) : rows
  return (
    <table className="w-full text-sm">
      <thead>
        <tr className="text-left text-muted text-xs">
          <th className="font-normal">Group</th>
          <th className="text-right font-normal">then</th>
          <th className="text-right font-normal">now</th>
          <th className="text-right font-normal">crossed</th>
        </tr>
      </thead>
      <tbody>
        {sorted.map((row) => (
          <tr key={row.title} className={`border-rule border-t ${row.place === chosen ? 'bg-spruce-wash' : ''}`}>
            <td className="max-w-0 py-1">
              <button type="button" aria-pressed={row.place === chosen} onClick={() => onChoose(row.place)} className="w-full truncate text-left hover:underline">
                {row.title}
              </button>
            </td>
            <td className="figures text-right text-muted">{shown(row.first)}</td>
            <td className="figures text-right font-semibold">{shown(row.value)}</td>
            <td className="figures text-right">{past.crossings.filter((c) => c.group === row.group).length || ''}</td>
          </tr>
        ))}
      </tbody>
    </table>
  )
}
