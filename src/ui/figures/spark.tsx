import { curveStepAfter, line as lineOf, scaleLinear, scaleTime } from 'd3'
import type { Line } from './picture'

const WIDTH = 300
const HEIGHT = 64

/** A figure's last days as small lines on a scale of their own, its thresholds as rules across, crossings as marks. */
export function Spark({
  from,
  to,
  lines,
  thresholds,
  crossings,
  label,
}: {
  from: string
  to: string
  lines: readonly Line[]
  thresholds: readonly number[]
  crossings: readonly { readonly at: string; readonly value: number | string | null }[]
  label: string
}) {
  const values = [...lines.flatMap((l) => l.points.map((p) => (p.value === null ? null : Number(p.value)))), ...thresholds].filter((v) => v !== null)
  const x = scaleTime()
    .domain([new Date(from), new Date(to)])
    .range([0, WIDTH])
  const y = scaleLinear()
    .domain([Math.min(...values, 0), Math.max(...values, 1)])
    .range([HEIGHT - 4, 4])
  const path = lineOf<Line['points'][number]>()
    .defined((p) => p.value !== null)
    .x((p) => x(new Date(p.at)))
    .y((p) => y(Number(p.value)))
    .curve(curveStepAfter)
  const drawn = (l: Line) => path([...l.points, { at: to, value: l.points.at(-1)?.value ?? null }]) ?? ''
  return (
    <svg role="img" aria-label={label} viewBox={`0 0 ${WIDTH} ${HEIGHT}`} className="h-16 w-full" preserveAspectRatio="none">
      {thresholds.map((t) => (
        <line key={t} x1={0} x2={WIDTH} y1={y(t)} y2={y(t)} stroke="var(--rope-mark)" vectorEffect="non-scaling-stroke" />
      ))}
      {lines.map((l, i) => (
        <path
          key={l.title}
          d={drawn(l)}
          fill="none"
          stroke={i === 0 ? 'var(--spruce)' : 'var(--slate)'}
          strokeOpacity={i === 0 ? 1 : 0.35}
          strokeWidth={i === 0 ? 1.75 : 1}
          vectorEffect="non-scaling-stroke"
        />
      ))}
      {crossings.map((c) => (
        <line
          key={`${c.at} ${c.value}`}
          x1={x(new Date(c.at))}
          x2={x(new Date(c.at))}
          y1={y(Number(c.value)) - 6}
          y2={y(Number(c.value)) + 2}
          stroke="var(--rope-mark)"
          strokeWidth={2}
          vectorEffect="non-scaling-stroke"
        />
      ))}
    </svg>
  )
}
