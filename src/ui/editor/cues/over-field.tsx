'use client'

import { labelOf } from '@/core/figures/label'
import { figureOf, figuresOf } from '@/core/figures/of-table'
import type { TableDef } from '@/core/values/tables'
import { Choice } from '../../parts/choice'
import { Labelled } from '../../parts/labelled'
import Link from '../../parts/link'

/** The figure whose groups a workflow goes through. */
export function OverField({ table, over, onOver }: { readonly table: TableDef | undefined; readonly over: string | undefined; readonly onOver: (figure: string) => void }) {
  const figures = figuresOf(table)
  return (
    <Labelled
      label="Of the figure"
      note={
        figures.length === 0 ? (
          <>
            {table?.label ?? 'The table'} has no figure yet. <Link href={`/figures/new${table ? `?table=${table.name}` : ''}`}>Make one</Link>
          </>
        ) : (
          'In conditions and texts: figure.value, figure.group, figure.count.'
        )
      }
    >
      <Choice
        label="Of the figure"
        value={figureOf(table, over ?? '') ? (over ?? null) : null}
        options={figures.map((f) => ({ value: f.name, label: labelOf(f.definition) }))}
        onChange={onOver}
      />
    </Labelled>
  )
}
