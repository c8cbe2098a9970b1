'use client'

import { max, scaleLinear, scaleTime, tickStep } from 'd3'
import { useRef } from 'react'
import { OPERATORS } from '@/core/conditions/operators'
import type { Clause, Op, Operand } from '@/core/document/condition'
import type { Stored } from '@/core/values/tables'
import type { SpreadAnswer } from '@/engine/answers/lines'
import { counted } from '../today/summary'

const WIDTH = 380
const HEIGHT = 84
const BARS = 40
const STEPS = 100

interface Props {
  readonly clause: Clause
  readonly spread: SpreadAnswer
  /** Whether a value fits the clause; null where that cannot be told. */
  readonly fits: ((value: Stored) => boolean) | null
  /** What the records are called together. */
  readonly records: string
  /** The e-mail of the person with an id, by which documents name them. */
  readonly emailOf: (id: unknown) => string | null
  readonly shown: (value: unknown) => string
  readonly onChange: (value: Operand) => void
}

/** Where the records lie on the value that a clause tests, those that fit coloured; on a line of numbers or days the limit is dragged, or moved by the arrow keys. */
export function SpreadPicture(props: Props) {
  const { spread, fits, records } = props
  const judged = spread.values.map((v) => ({ ...v, fits: fits?.(v.value) ?? null }))
  const fitting = judged.reduce((sum, v) => sum + (v.fits ? v.count : 0), 0) + (fits?.(null) ? spread.blank : 0)
  return (
    <section aria-label="Where records lie" className="mb-4">
      <h3 className="text-muted text-xs">
        Where {records.toLowerCase()} lie now
        {fits && (
          <>
            : <b className="figures font-semibold text-ink">{fitting.toLocaleString('en-GB')}</b> of {spread.all.toLocaleString('en-GB')} fit
          </>
        )}
        {spread.blank > 0 && `, ${counted(spread.blank, 'blank one', 'blank ones')}`}
      </h3>
      {spread.kind === 'values' ? <Bars {...props} judged={judged} /> : <Line {...props} judged={judged} />}
    </section>
  )
}

type Judged = SpreadAnswer['values'][number] & { readonly fits: boolean | null }

/** Values that are chosen, as bars; one is taken by pressing it. */
function Bars({ judged, clause, emailOf, shown, onChange }: Props & { judged: readonly Judged[] }) {
  const most = max(judged, (v) => v.count) ?? 1
  const takes = OPERATORS[clause.op].operand === 'one' || OPERATORS[clause.op].operand === 'many'
  const take = ({ value }: Judged) => {
    const operand = emailOf(value) ?? value
    if (OPERATORS[clause.op].operand !== 'many') return onChange(operand)
    const chosen = Array.isArray(clause.value) ? clause.value : []
    const has = chosen.some((c) => String(c) === String(operand))
    onChange(has ? chosen.filter((c) => String(c) !== String(operand)) : [...chosen, typeof operand === 'number' ? operand : String(operand)])
  }
  return (
    <ul className="mt-1">
      {judged.slice(0, 12).map((v) => (
        <li key={String(v.value)}>
          <button
            type="button"
            disabled={!takes}
            aria-pressed={v.fits ?? undefined}
            onClick={() => take(v)}
            className="grid min-h-6 w-full grid-cols-[9rem_minmax(0,1fr)_3.5rem] items-center gap-2 text-left text-sm enabled:hover:bg-spruce-wash"
          >
            <span className={`truncate ${v.fits ? 'font-semibold' : ''}`}>{v.shown ?? shown(v.value)}</span>
            <span aria-hidden className={`h-2.5 ${v.fits ? 'bg-spruce' : 'bg-rule'}`} style={{ width: `${Math.max(1, (v.count / most) * 100)}%` }} />
            <span className="figures text-right text-muted">{v.count.toLocaleString('en-GB')}</span>
          </button>
        </li>
      ))}
    </ul>
  )
}

const DAY_MS = 86_400_000
/** Operators whose limit is one place on a line. */
const MOVED: readonly Op[] = ['more than', 'at least', 'less than', 'at most', 'crossed above', 'crossed below', 'between', 'is']

/** Numbers or days along a line, as a histogram with the limit across. */
function Line({ judged, clause, spread, shown, onChange }: Props & { judged: readonly Judged[] }) {
  const svg = useRef<SVGSVGElement>(null)
  const isDays = spread.kind === 'days'
  const at = (value: unknown) => (isDays ? Date.parse(String(value)) : Number(value))
  const places = judged.map((v) => at(v.value))
  const limit = typeof clause.value === 'number' || (typeof clause.value === 'string' && clause.value !== '') ? at(clause.value) : Number.NaN
  const ends = [...places, ...(Number.isNaN(limit) ? [] : [limit])]
  const [low, high] = [Math.min(...ends), Math.max(...ends)]
  if (judged.length === 0 || !Number.isFinite(low)) return <p className="py-1 text-muted text-sm">None has a value.</p>
  const width = (high - low) / BARS || 1
  const bars = Array.from({ length: BARS + 1 }, (_, i) => ({ from: low + i * width, all: 0, fits: 0 }))
  judged.forEach((v, i) => {
    const bar = bars[Math.min(BARS, Math.floor(((places[i] ?? low) - low) / width))]
    if (!bar) return
    bar.all += v.count
    bar.fits += v.fits ? v.count : 0
  })
  const x = scaleLinear()
    .domain([low, high + width])
    .range([0, WIDTH])
  const y = scaleLinear()
    .domain([0, max(bars, (b) => b.all) ?? 1])
    .range([0, HEIGHT - 26])
  const step = isDays ? DAY_MS : tickStep(low, high || 1, STEPS)
  const given = (place: number): Operand => (isDays ? new Date(place).toISOString().slice(0, 10) : Number((Math.round(place / step) * step).toPrecision(12)))
  const canMove = MOVED.includes(clause.op) && (clause.value === undefined || typeof clause.value !== 'object')
  const move = (event: React.PointerEvent) => {
    const box = svg.current?.getBoundingClientRect()
    if (box) onChange(given(x.invert(Math.max(0, Math.min(WIDTH, ((event.clientX - box.left) / box.width) * WIDTH)))))
  }
  const ticks = isDays
    ? scaleTime()
        .domain([low, high])
        .range([0, WIDTH])
        .ticks(4)
        .map((d) => ({ place: d.getTime(), text: new Intl.DateTimeFormat('en-GB', { day: 'numeric', month: 'short' }).format(d) }))
    : x.ticks(5).map((n) => ({ place: n, text: n.toLocaleString('en-GB') }))
  return (
    <svg ref={svg} viewBox={`0 0 ${WIDTH} ${HEIGHT}`} className="mt-1 w-full touch-none select-none">
      <title>Where records lie, and the limit</title>
      <line x1={0} x2={WIDTH} y1={HEIGHT - 18} y2={HEIGHT - 18} stroke="var(--rule)" />
      {bars.map((b) => (
        <g key={b.from}>
          <rect x={x(b.from) + 0.5} width={Math.max(1, WIDTH / (BARS + 1) - 1)} y={HEIGHT - 18 - y(b.all)} height={y(b.all)} className="fill-rule" />
          <rect x={x(b.from) + 0.5} width={Math.max(1, WIDTH / (BARS + 1) - 1)} y={HEIGHT - 18 - y(b.fits)} height={y(b.fits)} className="fill-spruce" />
        </g>
      ))}
      {ticks.map((t) => (
        <text
          key={t.place}
          x={Math.min(WIDTH - 2, Math.max(2, x(t.place)))}
          textAnchor={x(t.place) > WIDTH - 40 ? 'end' : 'start'}
          y={HEIGHT - 5}
          className="fill-muted text-[10px]"
        >
          {t.text}
        </text>
      ))}
      {canMove && (
        <g
          role="slider"
          tabIndex={0}
          aria-label="The limit"
          aria-valuemin={low}
          aria-valuemax={high}
          aria-valuenow={Number.isNaN(limit) ? low : limit}
          aria-valuetext={Number.isNaN(limit) ? 'none yet' : shown(clause.value)}
          className="cursor-ew-resize outline-offset-2"
          onPointerDown={(event) => {
            event.currentTarget.setPointerCapture(event.pointerId)
            move(event)
          }}
          onPointerMove={(event) => event.currentTarget.hasPointerCapture(event.pointerId) && move(event)}
          onKeyDown={(event) => {
            const by = { ArrowRight: 1, ArrowUp: 1, ArrowLeft: -1, ArrowDown: -1, PageUp: 10, PageDown: -10 }[event.key]
            if (by === undefined) return
            event.preventDefault()
            event.stopPropagation()
            onChange(given((Number.isNaN(limit) ? low : limit) + by * step))
          }}
        >
          <rect x={0} y={0} width={WIDTH} height={HEIGHT - 18} fill="transparent" />
          {!Number.isNaN(limit) && (
            <>
              <line x1={x(limit)} x2={x(limit)} y1={0} y2={HEIGHT - 14} className="stroke-rope-mark" strokeWidth={2} />
              <text
                x={x(limit) > WIDTH - 70 ? x(limit) - 4 : x(limit) + 4}
                y={10}
                textAnchor={x(limit) > WIDTH - 70 ? 'end' : 'start'}
                className="fill-rope font-semibold text-[11px]"
              >
                {shown(clause.value)}
              </text>
            </>
          )}
        </g>
      )}
    </svg>
  )
}
