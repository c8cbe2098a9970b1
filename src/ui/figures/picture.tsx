'use client'

import { curveStepAfter, line as lineOf, scaleLinear, scaleTime, timeFormat } from 'd3'
import { useRef } from 'react'
import { counted } from '../today/summary'
import type { ToldPoint, ToldThreshold } from './told'

export interface Line {
  readonly title: string
  readonly points: readonly ToldPoint[]
  /** The values of the figures that thresholds are at, by the thresholds' names. */
  readonly limits?: Readonly<Record<string, readonly ToldPoint[]>>
}

export interface PictureProps {
  readonly from: string
  readonly to: string
  readonly lines: readonly Line[]
  readonly alerts: readonly { readonly value: number; readonly crossings: number }[]
  readonly thresholds: readonly ToldThreshold[]
  /** The line that is drawn strongly. */
  readonly chosen: number
  /** Moves a threshold, by its place; without it none can be moved. */
  readonly onMove?: (place: number, value: number) => void
}

const WIDTH = 396
const HEIGHT = 230
const LEFT = 50
const NARROW = 64
const BOTTOM = 20

const numberOf = (value: number | string | null) => (value === null ? null : Number(value))

/**
 * A figure's past: a line for each group, thresholds as rules across that are dragged or moved by arrow keys, and beside it, at the same heights, how many alerts a threshold would have
 * given.
 */
export function Picture({ from, to, lines, alerts, thresholds, chosen, onMove }: PictureProps) {
  const svg = useRef<SVGSVGElement>(null)
  const rules = thresholds.flatMap((t, place) => (typeof t.value === 'number' ? [{ ...t, value: t.value, place }] : []))
  const values = [...lines.flatMap((l) => l.points.map((p) => numberOf(p.value))), ...rules.map((t) => t.value), ...alerts.map((a) => a.value)].filter((v) => v !== null)
  const [low, high] = [Math.min(0, ...values), Math.max(1, ...values)]
  const x = scaleTime()
    .domain([new Date(from), new Date(to)])
    .range([LEFT, WIDTH - NARROW - 10])
  const y = scaleLinear()
    .domain([low, high])
    .nice()
    .range([HEIGHT - BOTTOM, 8])
  const most = Math.max(1, ...alerts.map((a) => a.crossings))
  const wide = scaleLinear()
    .domain([0, most])
    .range([0, NARROW - 8])
  const step = stepOf(alerts)
  const path = lineOf<ToldPoint>()
    .defined((p) => p.value !== null)
    .x((p) => x(new Date(p.at)))
    .y((p) => y(numberOf(p.value) ?? 0))
    .curve(curveStepAfter)
  const drawn = ({ points }: Pick<Line, 'points'>) => path(points.length ? [...points, { at: to, value: points.at(-1)?.value ?? null }] : []) ?? ''
  const valueAt = (clientY: number) => {
    const box = svg.current?.getBoundingClientRect()
    return box ? snapped(y.invert(((clientY - box.top) / box.height) * HEIGHT), step) : 0
  }
  const size = alerts.length > 1 ? Math.abs(y(alerts[1]?.value ?? 0) - y(alerts[0]?.value ?? 0)) : 3
  const narrowAt = WIDTH - NARROW
  return (
    <svg ref={svg} viewBox={`0 0 ${WIDTH} ${HEIGHT}`} className="my-2 w-full touch-none select-none">
      <title>Its past, and how many alerts a threshold at each height would have given</title>
      {y.ticks(5).map((tick) => (
        <g key={tick}>
          <line x1={LEFT} x2={WIDTH - NARROW - 10} y1={y(tick)} y2={y(tick)} stroke="var(--rule)" />
          <text x={LEFT - 6} y={y(tick) + 4} textAnchor="end" className="figures fill-muted text-[11px]">
            {tick.toLocaleString('en-GB')}
          </text>
        </g>
      ))}
      {x.ticks(4).map((tick) => (
        <text key={tick.getTime()} x={x(tick)} y={HEIGHT - 5} textAnchor="middle" className="fill-muted text-[11px]">
          {timeFormat('%-d %b')(tick)}
        </text>
      ))}
      {lines.map((l, i) => i !== chosen && <path key={l.title} d={drawn(l)} fill="none" stroke="var(--slate)" strokeOpacity={0.4} strokeWidth={1} />)}
      {lines[chosen] && <path d={drawn(lines[chosen])} fill="none" stroke="var(--spruce)" strokeWidth={2} />}
      {Object.entries(lines[chosen]?.limits ?? {}).map(([name, points]) => (
        <path key={name} d={drawn({ points })} fill="none" stroke="var(--rope-mark)" strokeWidth={1.5} strokeDasharray="5 3">
          <title>{`The threshold ${name}`}</title>
        </path>
      ))}
      <line x1={narrowAt} x2={narrowAt} y1={8} y2={HEIGHT - BOTTOM} stroke="var(--rule)" />
      {alerts.map((a) => (
        <rect
          key={a.value}
          x={narrowAt}
          width={wide(a.crossings)}
          y={y(a.value) - size / 2}
          height={Math.max(1, size - 0.5)}
          className="fill-rope-wash stroke-rope-mark"
          strokeWidth={0.5}
        >
          <title>{`At ${a.value.toLocaleString('en-GB')}: ${counted(a.crossings, 'alert')}`}</title>
        </rect>
      ))}
      <text x={narrowAt + NARROW} y={HEIGHT - 5} textAnchor="end" className="fill-muted text-[11px]">
        {counted(most, 'alert')}
      </text>
      {rules.map((t) => (
        <g key={t.name}>
          <line x1={LEFT} x2={WIDTH} y1={y(t.value)} y2={y(t.value)} stroke="var(--rope-mark)" strokeWidth={1.5} />
          {t.rearm !== undefined && <line x1={LEFT} x2={WIDTH - NARROW - 10} y1={y(t.rearm)} y2={y(t.rearm)} stroke="var(--rope-mark)" strokeDasharray="2 4" />}
          <rect
            x={LEFT}
            width={WIDTH - LEFT}
            y={y(t.value) - 8}
            height={16}
            fill="transparent"
            role="slider"
            tabIndex={onMove ? 0 : -1}
            aria-label={`Threshold ${t.name}`}
            aria-orientation="vertical"
            aria-valuemin={y.domain()[0]}
            aria-valuemax={y.domain()[1]}
            aria-valuenow={t.value}
            aria-valuetext={`${t.when} ${t.value}: ${t.alerts} alerts`}
            className={onMove ? 'cursor-ns-resize outline-none focus-visible:stroke-rope-mark' : ''}
            onPointerDown={(e) => {
              if (!onMove) return
              e.currentTarget.setPointerCapture(e.pointerId)
              e.currentTarget.focus()
            }}
            onPointerMove={(e) => {
              if (onMove && e.currentTarget.hasPointerCapture(e.pointerId)) onMove(t.place, valueAt(e.clientY))
            }}
            onKeyDown={(e) => {
              const by = { ArrowUp: step, ArrowDown: -step, PageUp: step * 10, PageDown: -step * 10 }[e.key]
              if (!onMove || by === undefined) return
              e.preventDefault()
              onMove(t.place, snapped(t.value + by, step))
            }}
          />
          <text
            x={LEFT + 4}
            y={y(t.value) - 4}
            paintOrder="stroke"
            stroke="var(--sheet)"
            strokeWidth={3}
            className="figures pointer-events-none fill-rope font-semibold text-[12px]"
          >
            {t.when} {t.value.toLocaleString('en-GB')}
          </text>
        </g>
      ))}
    </svg>
  )
}

/** How far a threshold moves at once: a whole number where the heights are. */
function stepOf(alerts: PictureProps['alerts']): number {
  if (alerts.every((a) => Number.isInteger(a.value))) return 1
  const [first, second] = alerts
  return first && second ? Number(`1e${Math.floor(Math.log10((second.value - first.value) / 2 || 1))}`) : 1
}

const snapped = (value: number, step: number) => Number((Math.round(value / step) * step).toPrecision(12))
