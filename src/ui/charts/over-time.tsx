'use client'

import { bisector, max, scaleLinear, scaleTime } from 'd3'
import { useState } from 'react'

const WIDTH = 460
const HEIGHT = 84
const FOOT = 18

export interface Point {
  readonly at: number
  readonly value: number | null
}

/** Half of the width of a time that is written below. */
const HALF_A_TIME = 15

/** From where a time is written, so that the first and the last stand wholly in the picture. */
const anchorAt = (x: number) => (x < HALF_A_TIME ? 'start' : x > WIDTH - HALF_A_TIME ? 'end' : 'middle')

/** How something went over hours: its name, what it is now and was at most, and a picture that says each moment as one points at it or walks along it by key. */
export function OverTime({
  title,
  points,
  from,
  to,
  step,
  words,
  times,
  isAlarm = () => false,
}: {
  title: string
  points: readonly Point[]
  from: number
  to: number
  /** Milliseconds that each point stands for. */
  step: number
  /** A value in words. */
  words: (value: number) => string
  /** A moment in words. */
  times: (at: number) => string
  /** From which value on something is wrong. */
  isAlarm?: (value: number) => boolean
}) {
  const [at, setAt] = useState<number | null>(null)
  const known = points.filter((p): p is { at: number; value: number } => p.value !== null)
  const most = max(known, (p) => p.value) ?? 0
  const x = scaleTime().domain([from, to]).range([0, WIDTH])
  const y = scaleLinear()
    .domain([0, most || 1])
    .range([HEIGHT, 4])
  const chosen = at === null ? known.at(-1) : known[at]
  const point = (given: number) => setAt(Math.max(0, Math.min(known.length - 1, given)))
  const told = chosen ? `${words(chosen.value)} at ${times(chosen.at)}` : 'nothing was measured'
  return (
    <figure className="min-w-0">
      <figcaption>
        <span className="font-semibold">{title}</span>
        <span className="block text-muted text-sm">
          <span aria-live="polite" className={chosen && isAlarm(chosen.value) ? 'text-alarm' : 'text-ink'}>
            {told}
          </span>
          {known.length > 0 && <>; at most {words(most)}</>}
        </span>
      </figcaption>
      <svg
        role="img"
        aria-label={`${title}: ${told}; at most ${words(most)}. The arrow keys walk through the day.`}
        viewBox={`0 0 ${WIDTH} ${HEIGHT + FOOT}`}
        className="w-full"
        onPointerMove={(event) => {
          const box = event.currentTarget.getBoundingClientRect()
          const moment = x.invert(((event.clientX - box.left) / box.width) * WIDTH).getTime()
          point(bisector((p: { at: number }) => p.at).right(known, moment) - 1)
        }}
        onPointerLeave={() => setAt(null)}
        onBlur={() => setAt(null)}
        onKeyDown={(event) => {
          const step = { ArrowLeft: -1, ArrowRight: 1 }[event.key]
          if (step === undefined) return
          event.preventDefault()
          point((at ?? known.length - 1) + step)
        }}
      >
        {known.map((p) => (
          <rect
            key={p.at}
            x={x(p.at)}
            width={Math.max(1, x(p.at + step) - x(p.at) - 0.5)}
            y={y(p.value)}
            height={HEIGHT - y(p.value)}
            fill={isAlarm(p.value) ? 'var(--alarm)' : 'var(--spruce)'}
            fillOpacity={chosen?.at === p.at && at !== null ? 1 : 0.55}
          />
        ))}
        <line x1={0} x2={WIDTH} y1={HEIGHT} y2={HEIGHT} stroke="var(--rule)" />
        {x.ticks(6).map((t) => (
          <text key={t.getTime()} x={x(t)} y={HEIGHT + 14} textAnchor={anchorAt(x(t))} fontSize={11} fill="var(--muted)">
            {times(t.getTime())}
          </text>
        ))}
      </svg>
    </figure>
  )
}
