'use client'

import { scaleLinear } from 'd3'
import { useRouter } from 'next/navigation'
import { useState } from 'react'
import { ofMoments } from '@/core/values/formatters'

/** A day as a bar. */
export interface DayBar {
  /** ISO 8601. */
  readonly day: string
  readonly value: number
  /** What is said of it: "3 mails". */
  readonly words: string
  /** Where it leads, where it leads anywhere. */
  readonly href?: string
}

interface Props {
  /** What the picture is of, in words, with what stands out in it. */
  readonly label: string
  readonly bars: readonly DayBar[]
  /** Where the scale ends; by default at the highest bar. */
  readonly most?: number
  readonly width: number
  readonly height: number
  readonly className?: string
}

const dayWords = (day: string) => ofMoments('en-GB', { day: 'numeric', month: 'short', timeZone: 'UTC' }).format(new Date(day))

/** Days as bars, walked by the arrow keys or by pointing; the day that one is at is said in words, and Enter or a press follows it. */
export function WalkedDays({ label, bars, most, width, height, className = '' }: Props) {
  const router = useRouter()
  const [at, setAt] = useState<number | null>(null)
  const y = scaleLinear()
    .domain([0, Math.max(1, most ?? 0, ...bars.map((b) => b.value))])
    .range([0, height - 2])
  const step = width / Math.max(1, bars.length)
  const chosen = at === null ? undefined : bars[at]
  const said = chosen ? `${dayWords(chosen.day)}: ${chosen.words}` : ''
  const follow = (bar: DayBar | undefined) => {
    if (bar?.href) router.push(bar.href)
  }
  return (
    <div className={className}>
      <div
        role="slider"
        tabIndex={0}
        aria-label={label}
        aria-valuemin={0}
        aria-valuemax={bars.length - 1}
        aria-valuenow={at ?? 0}
        aria-valuetext={said || label}
        onFocus={() => setAt((old) => old ?? bars.length - 1)}
        onBlur={() => setAt(null)}
        onKeyDown={(event) => {
          const by = { ArrowRight: 1, ArrowLeft: -1, Home: -bars.length, End: bars.length }[event.key]
          if (event.key === 'Enter') follow(chosen)
          else if (by === undefined) return
          else setAt(Math.max(0, Math.min(bars.length - 1, (at ?? bars.length - 1) + by)))
          event.preventDefault()
          event.stopPropagation()
        }}
        onPointerLeave={(event) => document.activeElement !== event.currentTarget && setAt(null)}
      >
        <svg aria-hidden viewBox={`0 0 ${width} ${height}`} preserveAspectRatio="none" style={{ height }} className="w-full">
          <line x1={0} x2={width} y1={height - 0.5} y2={height - 0.5} stroke="var(--rule)" vectorEffect="non-scaling-stroke" />
          {bars.map((bar, i) => (
            // biome-ignore lint/a11y/noStaticElementInteractions: the whole is walked by key
            <g key={bar.day} onPointerEnter={() => setAt(i)} onClick={() => follow(bar)} className={bar.href ? 'cursor-pointer' : ''}>
              <title>{`${dayWords(bar.day)}: ${bar.words}`}</title>
              <rect x={i * step} width={step} y={0} height={height} fill="transparent" />
              {bar.value > 0 && (
                <rect
                  x={i * step + 0.5}
                  width={Math.max(1, step - 1)}
                  y={height - 1 - Math.max(2, y(bar.value))}
                  height={Math.max(2, y(bar.value))}
                  className={i === at ? 'fill-rope-mark' : 'fill-spruce'}
                />
              )}
            </g>
          ))}
        </svg>
      </div>
      <p className="h-4 truncate text-muted text-xs leading-4" aria-hidden>
        {said}
      </p>
      <div className="sr-only">
        <table>
          <caption>{label}</caption>
          <tbody>
            {bars
              .filter((bar) => bar.value > 0)
              .map((bar) => (
                <tr key={bar.day}>
                  <th scope="row">{bar.day}</th>
                  <td>{bar.words}</td>
                </tr>
              ))}
          </tbody>
        </table>
      </div>
    </div>
  )
}
