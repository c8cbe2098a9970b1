'use client'

import { area, curveMonotoneY, scaleSqrt, select, transition } from 'd3'
import { useEffect, useRef } from 'react'
import { must } from '@/core/must'

const WIDTH = 104
const LEAST = 1.5
const EDGE = 12
const TURN_MS = 240

interface Props {
  /** Past changes alive at each line, by its path, in reading order; null where a line lets through what came to it. */
  readonly counts: readonly { readonly path: string; readonly count: number | null }[]
  readonly most: number
}

/**
 * The narrowing: one shape down the brief, as wide at each line as changes are still alive there (its width goes by the square root, so that
 * a few of thousands can still be seen). It stands beside the lines, which say the numbers.
 */
export function Narrowing({ counts, most }: Props) {
  const svg = useRef<SVGSVGElement>(null)
  const shape = useRef<SVGPathElement>(null)
  useEffect(() => {
    const sheet = svg.current?.parentElement
    if (!sheet || !shape.current) return
    const x = scaleSqrt()
      .domain([0, Math.max(1, most)])
      .range([0, WIDTH])
    const outline = area<{ y: number; width: number; isShown: boolean }>()
      .defined((p) => p.isShown)
      .y((p) => p.y)
      .x0(0)
      .x1((p) => p.width)
      .curve(curveMonotoneY)
    const draw = (isAnimated: boolean) => {
      const rows = new Map([...sheet.querySelectorAll<HTMLElement>('[data-line]')].map((row) => [must(row.dataset.line), row]))
      let last = most
      const points = counts.flatMap(({ path, count }) => {
        const row = rows.get(path)
        if (!row) return []
        last = count ?? last
        const width = last === 0 ? 0 : Math.max(LEAST, x(last))
        const button = row.querySelector<HTMLElement>('[aria-expanded]')
        const isOpen = button?.getAttribute('aria-expanded') === 'true'
        const points = [
          { y: row.offsetTop + EDGE, width, isShown: true },
          { y: row.offsetTop + (isOpen ? (button?.offsetHeight ?? 0) : row.offsetHeight) - EDGE, width, isShown: true },
        ]
        return isOpen ? [...points, { y: 0, width, isShown: false }] : points
      })
      svg.current?.setAttribute('height', String(sheet.offsetHeight))
      const path = select(must(shape.current))
      const d = outline(points) ?? ''
      if (isAnimated && path.attr('d') && !window.matchMedia('(prefers-reduced-motion: reduce)').matches) path.transition(transition().duration(TURN_MS)).attr('d', d)
      else path.interrupt().attr('d', d)
    }
    draw(true)
    const watch = new ResizeObserver(() => draw(false))
    watch.observe(sheet)
    return () => watch.disconnect()
  }, [counts, most])
  return (
    <svg ref={svg} aria-hidden width={WIDTH + 2} className="pointer-events-none absolute top-0 right-1">
      <path ref={shape} className="fill-spruce-wash stroke-spruce" strokeWidth={1} />
    </svg>
  )
}
