'use client'

import type { ReactNode } from 'react'
import { Choice } from '../../parts/choice'
import { Labelled } from '../../parts/labelled'

interface Props {
  readonly label: string
  readonly note: ReactNode
  readonly chosen: readonly string[]
  readonly rest: readonly string[]
  /** What is shown for a value, and what it is called where it can be taken away. */
  readonly words: (value: string) => string
  readonly named?: (value: string) => string
  /** What stands in the choice where nothing is chosen yet. */
  readonly none: string
  readonly onChange: (chosen: string[]) => void
}

/** Some of several: those that are chosen, each taken away by its cross, and a choice that adds one of the rest. */
export function SomeOf({ label, note, chosen, rest, words, named = words, none, onChange }: Props) {
  return (
    <Labelled label={label} note={note}>
      <div className="flex flex-wrap items-baseline gap-x-3">
        {chosen.map((value) => (
          <button key={value} type="button" aria-label={`Take ${named(value)} away`} className="hover:text-alarm" onClick={() => onChange(chosen.filter((c) => c !== value))}>
            {words(value)} <span className="text-muted">×</span>
          </button>
        ))}
        <div className="min-w-32 flex-1">
          <Choice
            label={label}
            value={null}
            placeholder={chosen.length ? 'or …' : none}
            options={rest.map((value) => ({ value, label: words(value) }))}
            onChange={(value) => onChange([...chosen, value])}
          />
        </div>
      </div>
    </Labelled>
  )
}
