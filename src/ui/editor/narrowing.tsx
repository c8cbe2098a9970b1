'use client'

import { area, curveMonotoneY, scaleSqrt, select, transition } from 'd3'
import { useEffect, useRef } from 'react'
import { must } from '@/core/must'

const WIDTH = 104
const LEAST = 1.5
const EDGE = 12
const TURN_MS = 240

type Counts = readonly { readonly path: string; readonly count: number | null }[]

interface Props {
  /** Past changes alive at each line, by its path, in reading order; null where a line lets through what came to it. */
  readonly counts: Counts
  /** The same of the version that is live, where the draft is ahead of it. */
  readonly behind: Counts | null
  readonly most: number
}

interface Point {
  readonly y: number
  readonly left: number
  readonly width: number
  readonly isShown: boolean
}

/** How far a branch stands to the side, for each that it is in. */
const BRANCH_INDENT = 10

/** How many branches a line stands in. */
const branches = (path: string) => path.match(/\/(branches\/\d+|otherwise)(?=\/|$)/g)?.length ?? 0

/** Whether a line is the one that says how conditions are joined, beside which the shape goes on from the cue to the first clause. */
const isJoint = (path: string) => path === '/conditions'

/** The outline of the shape: a point at the top and at the end of each line; where branches fork off, it stands to the side, apart from the trunk. */
function pointsOf(counts: Counts, most: number, x: (count: number) => number, sheet: HTMLElement): Point[] {
  const rows = new Map([...sheet.querySelectorAll<HTMLElement>('[data-line]')].map((row) => [must(row.dataset.line), row]))
  const hasClauses = counts.some(({ path }) => path.startsWith('/conditions/'))
  let last = most
  let depth = 0
  return counts.flatMap(({ path, count }): Point[] => {
    const row = rows.get(path)
    if (!row || (isJoint(path) && hasClauses)) return []
    last = count ?? last
    const width = last === 0 ? 0 : Math.max(LEAST, x(last))
    const at = branches(path)
    const forks = at !== depth || /\/(branches\/\d+|otherwise)$/.test(path)
    depth = at
    const left = at * BRANCH_INDENT
    const button = row.querySelector<HTMLElement>('[aria-expanded]')
    const isOpen = button?.getAttribute('aria-expanded') === 'true'
    const own: Point[] = [
      ...(forks ? [{ y: 0, left, width, isShown: false }] : []),
      { y: row.offsetTop + EDGE, left, width, isShown: true },
      { y: row.offsetTop + (isOpen ? (button?.offsetHeight ?? 0) : row.offsetHeight) - EDGE, left, width, isShown: true },
    ]
    return isOpen ? [...own, { y: 0, left, width, isShown: false }] : own
  })
}

const outline = area<Point>()
  .defined((p) => p.isShown)
  .y((p) => p.y)
  .x0((p) => p.left)
  .x1((p) => p.left + p.width)
  .curve(curveMonotoneY)

/**
 * The narrowing: one shape down the brief, as wide at each line as changes are still alive there (its width goes by the square root, so that
 * a few of thousands can still be seen), forking where branches are; the version that is live stands behind it as a dotted outline. It stands beside the lines, which say the numbers.
 */
export function Narrowing({ counts, behind, most }: Props) {
  const svg = useRef<SVGSVGElement>(null)
  const shape = useRef<SVGPathElement>(null)
  const live = useRef<SVGPathElement>(null)
  useEffect(() => {
    const sheet = svg.current?.parentElement
    if (!sheet || !shape.current) return
    const widest = Math.max(1, most, ...(behind ?? []).map((b) => b.count ?? 0))
    const x = scaleSqrt().domain([0, widest]).range([0, WIDTH])
    const draw = (isAnimated: boolean) => {
      svg.current?.setAttribute('height', String(sheet.offsetHeight))
      const path = select(must(shape.current))
      const d = outline(pointsOf(counts, most, x, sheet)) ?? ''
      if (isAnimated && path.attr('d') && !window.matchMedia('(prefers-reduced-motion: reduce)').matches) path.transition(transition().duration(TURN_MS)).attr('d', d)
      else path.interrupt().attr('d', d)
      live.current?.setAttribute('d', behind ? (outline(pointsOf(behind, behind[0]?.count ?? most, x, sheet)) ?? '') : '')
    }
    draw(true)
    const watch = new ResizeObserver(() => draw(false))
    watch.observe(sheet)
    return () => watch.disconnect()
  }, [counts, behind, most])
  return (
    <svg ref={svg} aria-hidden width={WIDTH + 2 * BRANCH_INDENT + 2} className="pointer-events-none absolute top-0 right-[-19px] max-md:hidden">
      <path ref={shape} className="fill-spruce-wash stroke-spruce" strokeWidth={1} />
      <path ref={live} className="fill-none stroke-rope-mark" strokeWidth={1} strokeDasharray="2 3" />
    </svg>
  )
}
