'use client'

import { type Condition, isClause, joined, jointOf } from '@/core/document/condition'
import type { Workflow } from '@/core/document/document'
import { valueAt } from '@/core/document/pointer'
import { Choice } from '../parts/choice'
import { Labelled } from '../parts/labelled'
import { counted } from '../today/summary'
import type { Evidence } from './evidence'
import { JOINT_OPTIONS } from './lines/condition-tree'

/** How clauses are joined, and whether the workflow fires as they become true or every time they are. */
export function JointFields({ document, path, evidence, put }: { document: Workflow; path: string; evidence: Evidence | null; put: (path: string, value: unknown) => void }) {
  const node = valueAt<Condition>(document, path) ?? { all: [] }
  const entry = isClause(node) ? (['all', [node]] as const) : jointOf(node)
  const { cue } = document
  const isTimetable = cue.kind === 'timetable' && (cue.per === 'record' || cue.per === 'group')
  const fires = path === '/conditions' && (isTimetable || (cue.kind === 'record' && cue.on.includes('changed') && cue.stays === undefined))
  return (
    <div className="grid grid-cols-2 gap-8">
      <Labelled label="Holds when">
        <Choice label="Holds when" value={entry[0]} options={JOINT_OPTIONS} onChange={(joint) => put(path, joined(joint, [...entry[1]]))} />
      </Labelled>
      {fires && (
        <Labelled label="Fires" note={isTimetable ? tickNote(document.firing === 'every') : firingNote(document.firing === 'every', evidence)}>
          <Choice
            label="Fires"
            value={document.firing ?? 'entering'}
            options={[
              { value: 'entering', label: isTimetable ? 'for what did not fit the time before' : 'as it becomes true' },
              { value: 'every', label: isTimetable ? 'for all that fits, every time' : 'every time it is true' },
            ]}
            onChange={(v) => put('/firing', v === 'entering' ? undefined : v)}
          />
        </Labelled>
      )}
    </div>
  )
}

/** The same of a timetable, which goes from one of its times to the next. */
const tickNote = (isEvery: boolean) =>
  isEvery
    ? 'At each of its times for each record that fits then.'
    : 'Once for each record, at the first of its times at which it fits; again only after a time at which it did not.'

/** The difference between the two ways to fire, in words, and on real past changes where there are any. */
function firingNote(isEvery: boolean, evidence: Evidence | null): string {
  const meaning = isEvery ? 'At each save while they hold, also when nothing about them changed.' : 'Once, at the save that makes them true; again only after they were false.'
  if (!evidence || isEvery) return meaning
  const { count, example } = evidence.heldBefore
  if (count === 0) return `${meaning} In the newest changes the two come to the same.`
  return `${meaning} Here: ${counted(evidence.firings, 'firing')}; every time would add ${count}, such as ${example}, where they held already.`
}
