'use client'

import { scaleTime } from 'd3'
import { must } from '@/core/must'
import Link from '../parts/link'

interface Firing {
  readonly workflow: string
  readonly at: string
  readonly run: number
}

const WIDTH = 600
const ROW = 28
const DOT = 4

/** Heaps dots that would lie on one another: how many rows up each goes. */
function heaped(positions: readonly number[]): number[] {
  const tops: { x: number; height: number }[] = []
  return positions.map((x) => {
    const near = tops.filter((t) => Math.abs(t.x - x) < DOT * 1.4).length
    tops.push({ x, height: near })
    return near
  })
}

/** Each firing of the day as a dot on its workflow's line, up to now. */
export function Firings({ firings, workflows, midnight, now }: { firings: readonly Firing[]; workflows: readonly string[]; midnight: string; now: string }) {
  const start = new Date(midnight)
  const x = scaleTime()
    .domain([start, new Date(start.getTime() + 86_400_000)])
    .range([0, WIDTH])
  const names = [...new Set([...workflows, ...firings.map((f) => f.workflow)])]
  if (names.length === 0) return null
  const hours = [0, 6, 12, 18, 24]
  const present = x(new Date(now))
  return (
    <section aria-label="Firings today, by workflow">
      <h2 className="mb-2 font-semibold text-muted text-sm">Firings today, by workflow</h2>
      <div className="grid grid-cols-[minmax(120px,200px)_2.5rem_minmax(0,1fr)] gap-x-3">
        {names.map((name) => {
          const own = firings.filter((f) => f.workflow === name)
          const xs = own.map((f) => x(new Date(f.at)))
          const heights = heaped(xs)
          return (
            <div key={name} className="contents">
              <Link href={`/runs?workflow=${encodeURIComponent(name)}`} className="truncate text-ink leading-7">
                {name}
              </Link>
              <span className="text-right text-muted leading-7">{own.length}</span>
              <svg
                role="img"
                aria-label={`${name} fired ${own.length} times today`}
                viewBox={`0 0 ${WIDTH} ${ROW}`}
                preserveAspectRatio="none"
                className="h-7 w-full overflow-visible"
              >
                {hours.map((h) => (
                  <line key={h} x1={(h / 24) * WIDTH} x2={(h / 24) * WIDTH} y1={0} y2={ROW} stroke="var(--rule)" vectorEffect="non-scaling-stroke" />
                ))}
                <line x1={0} x2={WIDTH} y1={ROW - 7} y2={ROW - 7} stroke="var(--rule)" vectorEffect="non-scaling-stroke" />
                <line x1={present} x2={present} y1={0} y2={ROW} stroke="var(--rope-mark)" strokeWidth={1.5} vectorEffect="non-scaling-stroke" />
                {own.map((f, i) => (
                  <path
                    key={f.run}
                    d={`M${xs[i]} ${ROW - 7 - must(heights[i]) * 5}h0.001`}
                    stroke="var(--spruce)"
                    strokeOpacity={0.75}
                    strokeWidth={DOT * 2}
                    strokeLinecap="round"
                    vectorEffect="non-scaling-stroke"
                  />
                ))}
              </svg>
            </div>
          )
        })}
        <div className="col-start-3 flex justify-between overflow-hidden text-muted text-xs max-sm:[&>span:nth-child(even)]:hidden">
          {hours.map((h) => (
            <span key={h}>{String(h).padStart(2, '0')}:00</span>
          ))}
        </div>
      </div>
    </section>
  )
}
