'use client'

import { useState } from 'react'
import type { Organisation } from '@/core/values/tables'
import type { ColumnSum } from '@/store/sums'
import { isNumeric, shownValue } from '../records/values'
import { CHOOSER, type ColumnDef } from './columns'

const MEASURES = ['sum', 'average', 'minimum', 'maximum', 'filled'] as const
type Measure = (typeof MEASURES)[number]
const SIGNS: Readonly<Record<Measure, string>> = { sum: 'Σ', average: '⌀', minimum: 'min', maximum: 'max', filled: 'filled' }
const WORDS: Readonly<Record<Measure, string>> = { sum: 'sum', average: 'average', minimum: 'least', maximum: 'most', filled: 'filled' }

interface Props {
  readonly columns: readonly ColumnDef[]
  readonly sums: Readonly<Record<string, ColumnSum>>
  readonly organisation: Organisation
}

/** What each column of all records that are found comes to; a press goes on to the next measure. */
export function Foot({ columns, sums, organisation }: Props) {
  const [chosen, setChosen] = useState<Readonly<Record<string, Measure>>>({})
  return (
    // biome-ignore lint/a11y/useSemanticElements: see the grid
    // biome-ignore lint/a11y/useFocusableInteractive: its buttons take the focus
    <div role="row" aria-label="Totals" className="sticky bottom-0 z-20 flex h-8 border-rule border-t bg-sheet">
      {/* biome-ignore lint/a11y/useSemanticElements: see the grid */}
      {/* biome-ignore lint/a11y/useFocusableInteractive: there is nothing to do in it */}
      <div role="gridcell" style={{ width: CHOOSER, left: 0 }} className="sticky z-10 shrink-0 bg-sheet" />
      {columns.map(({ field, width, left }) => {
        const isNumber = isNumeric(field)
        const measure = chosen[field.name] ?? (isNumber ? 'sum' : 'filled')
        const value = sums[field.name]?.[measure]
        const text =
          value === undefined
            ? ''
            : measure === 'filled'
              ? value.toLocaleString(organisation.locale)
              : shownValue(field, measure === 'average' ? rounded(value) : value, {}, organisation)
        return (
          // biome-ignore lint/a11y/useSemanticElements: see the grid
          // biome-ignore lint/a11y/useFocusableInteractive: its button takes the focus
          <div
            key={field.name}
            role="gridcell"
            className={`shrink-0 overflow-hidden bg-sheet ${left === null ? '' : 'sticky z-10'}`}
            style={{ width, ...(left === null ? {} : { left }) }}
          >
            <button
              type="button"
              aria-label={`${field.label}: ${WORDS[measure]} ${text}`}
              disabled={!isNumber}
              onClick={() => setChosen({ ...chosen, [field.name]: MEASURES[(MEASURES.indexOf(measure) + 1) % MEASURES.length] ?? 'sum' })}
              className={`flex h-full w-full items-baseline gap-1.5 px-2 pt-1.5 text-sm ${isNumber ? 'justify-end hover:text-spruce' : 'text-muted'}`}
            >
              <span className="text-muted text-xs">{SIGNS[measure]}</span>
              <span className="truncate text-xs tabular-nums" title={`${WORDS[measure]} ${text}`}>
                {text}
              </span>
            </button>
          </div>
        )
      })}
    </div>
  )
}

const rounded = (value: number) => Math.round(value * 100) / 100
