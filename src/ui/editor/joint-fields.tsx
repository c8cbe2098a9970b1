'use client'

import type { Condition } from '@/core/conditions/clause'
import type { Workflow } from '@/core/workflow/document'
import { Choice } from '../parts/choice'
import { Labelled } from '../parts/labelled'

/** How clauses are joined, and whether the workflow fires as they become true or every time they are. */
export function JointFields({ document, put }: { document: Workflow; put: (path: string, value: unknown) => void }) {
  const entry = Object.entries(document.conditions ?? { all: [] })[0] as [string, Condition[]]
  const waitsForChanges = document.cue.kind === 'record' && document.cue.on.includes('changed')
  return (
    <div className="grid grid-cols-2 gap-8">
      <Labelled label="Holds when">
        <Choice
          label="Holds when"
          value={entry[0]}
          options={[
            { value: 'all', label: 'all of these hold' },
            { value: 'any', label: 'any of these holds' },
            { value: 'none', label: 'none of these holds' },
          ]}
          onChange={(joint) => put('/conditions', { [joint]: entry[1] })}
        />
      </Labelled>
      {waitsForChanges && (
        <Labelled
          label="Fires"
          note={
            document.firing === 'every'
              ? 'At each save while they hold, also when nothing about them changed.'
              : 'Once, at the save that makes them true; again only after they were false.'
          }
        >
          <Choice
            label="Fires"
            value={document.firing ?? 'entering'}
            options={[
              { value: 'entering', label: 'as it becomes true' },
              { value: 'every', label: 'every time it is true' },
            ]}
            onChange={(v) => put('/firing', v === 'entering' ? undefined : v)}
          />
        </Labelled>
      )}
    </div>
  )
}
