'use client'

import type { PointerEvent } from 'react'
import { isNumeric } from '../records/values'
import { CHOOSER, type ColumnDef, ordersOf, pressedOrder } from './columns'

interface Props {
  readonly columns: readonly ColumnDef[]
  readonly order: string | undefined
  readonly onOrder: (order: string | undefined) => void
  readonly onWidth: (field: string, width: number) => void
}

const NARROWEST = 48
const WIDEST = 1_200
const STEP = 16

/** The column heads: a press sorts up, then down, then not, with Shift beside the others; the edge is drawn wider. */
export function Header({ columns, order, onOrder, onWidth }: Props) {
  const orders = ordersOf(order)
  const draw = (field: string, width: number) => (event: PointerEvent<HTMLSpanElement>) => {
    event.preventDefault()
    const edge = event.currentTarget
    const from = event.clientX
    edge.setPointerCapture(event.pointerId)
    const move = (e: globalThis.PointerEvent) => onWidth(field, bounded(width + e.clientX - from))
    const end = () => edge.removeEventListener('pointermove', move)
    edge.addEventListener('pointermove', move)
    edge.addEventListener('pointerup', end, { once: true })
    edge.addEventListener('pointercancel', end, { once: true })
  }
  return (
    // biome-ignore lint/a11y/useSemanticElements: see the grid
    // biome-ignore lint/a11y/useFocusableInteractive: its buttons take the focus
    <div role="row" className="sticky top-0 z-20 flex h-8 border-rule border-b bg-paper">
      {/* biome-ignore lint/a11y/useSemanticElements: see the grid */}
      {/* biome-ignore lint/a11y/useFocusableInteractive: there is nothing to do in it */}
      <div role="columnheader" style={{ width: CHOOSER, left: 0 }} className="sticky z-10 shrink-0 bg-paper">
        <span className="sr-only">Chosen</span>
      </div>
      {columns.map(({ field, width, left }) => {
        const place = orders.findIndex((o) => o.name === field.name)
        const direction = place < 0 ? 'none' : orders[place]?.descending ? 'descending' : 'ascending'
        return (
          // biome-ignore lint/a11y/useSemanticElements: see the grid
          // biome-ignore lint/a11y/useFocusableInteractive: its button takes the focus
          <div
            key={field.name}
            role="columnheader"
            aria-sort={direction}
            className={`relative shrink-0 bg-paper ${left === null ? '' : 'sticky z-10'}`}
            style={{ width, ...(left === null ? {} : { left }) }}
          >
            <button
              type="button"
              title="Sorts; with Shift beside the others"
              onClick={(event) => onOrder(pressedOrder(order, field.name, event.shiftKey))}
              className={`flex h-full w-full items-center gap-1 px-2 text-sm hover:text-ink ${isNumeric(field) ? 'justify-end' : ''} ${direction === 'none' ? 'text-muted' : 'font-semibold'}`}
            >
              <span className="truncate">{field.label}</span>
              {direction !== 'none' && (
                <span aria-hidden>
                  {direction === 'ascending' ? '↑' : '↓'}
                  {orders.length > 1 && <sub>{place + 1}</sub>}
                </span>
              )}
            </button>
            {/* biome-ignore lint/a11y/useSemanticElements: a line between two heads that is drawn */}
            <span
              role="separator"
              aria-orientation="vertical"
              aria-label={`Width of ${field.label}`}
              aria-valuenow={width}
              aria-valuemin={NARROWEST}
              aria-valuemax={WIDEST}
              tabIndex={0}
              onPointerDown={draw(field.name, width)}
              onKeyDown={(event) => {
                if (event.key !== 'ArrowLeft' && event.key !== 'ArrowRight') return
                event.preventDefault()
                event.stopPropagation()
                onWidth(field.name, bounded(width + (event.key === 'ArrowRight' ? STEP : -STEP)))
              }}
              className="absolute top-1.5 right-0 bottom-1.5 w-1.5 cursor-col-resize touch-none border-transparent border-r hover:border-rope-mark focus-visible:border-rope-mark"
            />
          </div>
        )
      })}
    </div>
  )
}

const bounded = (width: number) => Math.round(Math.min(WIDEST, Math.max(NARROWEST, width)))
