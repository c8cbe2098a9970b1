'use client'

import type { Cue } from '@/core/document/document'
import { Choice } from '../../parts/choice'
import { Labelled } from '../../parts/labelled'
import { useReach } from '../../records/tables-context'
import { ByHandFields } from './by-hand-fields'
import { FigureFields } from './figure-fields'
import type { CueProps } from './props'
import { RecordFields } from './record-fields'
import { TimetableFields } from './timetable-fields'

/** The kinds of cue that can be chosen, with what each begins as. */
const KINDS: readonly { readonly value: Cue['kind']; readonly label: string; readonly begins: Cue }[] = [
  { value: 'record', label: 'a record is created, changed or deleted', begins: { kind: 'record', on: ['changed'] } },
  { value: 'timetable', label: 'the clock', begins: { kind: 'timetable', cron: '0 7 * * 1-5', per: 'record' } },
  { value: 'figure', label: 'a figure that crosses a threshold', begins: { kind: 'figure', figure: '', threshold: '' } },
  { value: 'by hand', label: 'somebody, by hand', begins: { kind: 'by hand' } },
]

/** The cue's controls: what sets the workflow off, of which records, and what belongs to that kind. */
export function CueFields(props: CueProps) {
  const { document, setting, put } = props
  const { cue } = document
  const reach = useReach()
  const tables = setting.tables.filter((t) => t.name !== 'person')
  return (
    <div className="grid grid-cols-2 gap-x-8 gap-y-4">
      <Labelled label="Set off by">
        <Choice label="Set off by" value={cue.kind} options={KINDS} onChange={(kind) => kind !== cue.kind && put('/cue', KINDS.find((k) => k.value === kind)?.begins)} />
      </Labelled>
      <Labelled label="Records of">
        <Choice
          label="Records of"
          value={document.table || null}
          options={tables.map((t) => ({ value: t.name, label: t.label }))}
          onChange={(name) => void reach(name).then(() => put('/table', name))}
        />
      </Labelled>
      {cue.kind === 'record' && <RecordFields {...props} cue={cue} />}
      {cue.kind === 'timetable' && <TimetableFields {...props} cue={cue} />}
      {cue.kind === 'by hand' && <ByHandFields {...props} cue={cue} />}
      {cue.kind === 'figure' && <FigureFields {...props} cue={cue} />}
    </div>
  )
}
