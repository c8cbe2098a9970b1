'use client'

import type { FigureCue } from '@/core/document/document'
import { labelOf } from '@/core/figures/label'
import { figureOf, figuresOf } from '@/core/figures/of-table'
import { lineWords } from '@/core/figures/words'
import { Choice } from '../../parts/choice'
import { Labelled } from '../../parts/labelled'
import Link from '../../parts/link'
import type { CueProps } from './props'

/** A figure cue: which figure of the table, and which of its thresholds. */
export function FigureFields({ cue, table, put }: CueProps & { readonly cue: FigureCue }) {
  const figures = figuresOf(table)
  const figure = figureOf(table, cue.figure)
  if (figures.length === 0)
    return (
      <p className="col-span-2 text-muted">
        {table?.label ?? 'The table'} has no figure yet. <Link href={`/figures/new${table ? `?table=${table.name}` : ''}`}>Make one</Link>, and draw a threshold on its picture.
      </p>
    )
  return (
    <>
      <Labelled label="The figure">
        <Choice
          label="The figure"
          value={figure ? cue.figure : null}
          options={figures.map((f) => ({ value: f.name, label: labelOf(f.definition) }))}
          onChange={(name) => put('/cue', { kind: 'figure', figure: name, threshold: figureOf(table, name)?.definition.thresholds?.[0]?.name ?? '' })}
        />
      </Labelled>
      <Labelled label="Crosses" note={figure && <Link href={`/figures/${figure.name}`}>Its past, and what other thresholds would have alerted</Link>}>
        <Choice
          label="Crosses"
          value={figure?.definition.thresholds?.some((t) => t.name === cue.threshold) ? cue.threshold : null}
          options={(figure?.definition.thresholds ?? []).map((t) => ({ value: t.name, label: `${t.when} ${lineWords(t)}`, note: t.name }))}
          onChange={(name) => put('/cue/threshold', name)}
        />
      </Labelled>
    </>
  )
}
