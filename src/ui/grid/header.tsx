'use client'

import type { FieldDef } from '@/core/values/tables'
import { isNumeric } from '../records/values'

/** The column heads; a press sorts up, then down, then not. */
export function Header({
  columns,
  widths,
  order,
  onOrder,
  before,
}: {
  columns: readonly FieldDef[]
  widths: readonly number[]
  order: string | null
  onOrder: (order: string | null) => void
  /** Room before the first column, in pixels. */
  before: number
}) {
  return (
    // biome-ignore lint/a11y/useSemanticElements: see the grid
    // biome-ignore lint/a11y/useFocusableInteractive: its buttons take the focus
    <div role="row" className="sticky top-0 z-10 flex h-8 border-rule border-b bg-paper">
      {/* biome-ignore lint/a11y/useSemanticElements: see the grid */}
      {/* biome-ignore lint/a11y/useFocusableInteractive: there is nothing to do in it */}
      <div role="columnheader" style={{ width: before }} className="shrink-0">
        <span className="sr-only">Chosen</span>
      </div>
      {columns.map((field, i) => {
        const direction = order === field.name ? 'ascending' : order === `-${field.name}` ? 'descending' : 'none'
        const next = direction === 'none' ? field.name : direction === 'ascending' ? `-${field.name}` : null
        return (
          // biome-ignore lint/a11y/useSemanticElements: see the grid
          // biome-ignore lint/a11y/useFocusableInteractive: its button takes the focus
          <div key={field.name} role="columnheader" aria-sort={direction} className="overflow-hidden" style={{ width: widths[i] }}>
            <button
              type="button"
              onClick={() => onOrder(next)}
              className={`flex h-full w-full items-center gap-1 px-2 text-sm hover:text-ink ${isNumeric(field) ? 'justify-end' : ''} ${direction === 'none' ? 'text-muted' : 'font-semibold'}`}
            >
              <span className="truncate">{field.label}</span>
              {direction !== 'none' && <span aria-hidden>{direction === 'ascending' ? '↑' : '↓'}</span>}
            </button>
          </div>
        )
      })}
    </div>
  )
}
