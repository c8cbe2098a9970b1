'use client'

import type { OtherAction, Value } from '@/core/document/document'
import { Button } from '../../parts/button'
import { Choice } from '../../parts/choice'
import { Labelled } from '../../parts/labelled'
import { PlaceholderText } from '../body/placeholder-text'
import { listsAt, pathsAt, usePlace } from '../place'
import { peopleOptions, RecipientsField } from '../recipients-field'
import { NEW_CLAUSE } from '../state'
import { ConditionTree } from './condition-tree'
import { ValueField } from './value-field'

type Of<Do extends OtherAction['do']> = Extract<OtherAction, { do: Do }>

const NOWHERE = '\u0000none'

/** A notice: the channel or the people, and what it says. */
export function NoticeFields({ action }: { action: Of<'notice'> }) {
  const { setting, put, path } = usePlace()
  return (
    <div className="grid gap-4">
      <div className="grid grid-cols-2 gap-8">
        <Labelled label="Channel">
          <Choice
            label="Channel"
            value={action.channel ?? NOWHERE}
            options={[{ value: NOWHERE, label: 'no channel' }, ...setting.channels.map((c) => ({ value: c, label: c }))]}
            onChange={(v) => put(`${path}/channel`, v === NOWHERE ? undefined : v)}
          />
        </Labelled>
        <RecipientsField label="Shown to" part="to" entries={action.to ?? []} onChange={(to) => put(`${path}/to`, to.length ? to : undefined)} />
      </div>
      <Labelled label="Title">
        <PlaceholderText label="Title" className="blank-line font-serif text-lg" value={action.title ?? ''} onChange={(title) => put(`${path}/title`, title || undefined)} />
      </Labelled>
      <Labelled label="Text" note="Placeholders such as {{ change.by.name }} are filled in.">
        <PlaceholderText label="Text" rows={3} className="blank-line font-serif text-base" value={action.text} onChange={(text) => put(`${path}/text`, text)} />
      </Labelled>
    </div>
  )
}

const DUE = { name: 'due', label: 'Due', type: 'date' as const }

/** A task: what is to be done, by whom and until when. */
export function TaskFields({ action }: { action: Of<'task'> }) {
  const place = usePlace()
  const { put, path } = place
  return (
    <div className="grid gap-4">
      <Labelled label="What is to be done">
        <PlaceholderText label="What is to be done" className="blank-line font-serif text-lg" value={action.subject} onChange={(subject) => put(`${path}/subject`, subject)} />
      </Labelled>
      <div className="grid grid-cols-2 gap-8">
        <Labelled label="By whom">
          <Choice
            label="By whom"
            value={action.owner ?? NOWHERE}
            options={[{ value: NOWHERE, label: 'nobody in particular' }, ...pathsAt(place, ['person']), ...(place.setting.onlyTo ? [] : peopleOptions(place.setting))]}
            onChange={(v) => put(`${path}/owner`, v === NOWHERE ? undefined : v)}
          />
        </Labelled>
        <Labelled label="About">
          <Choice
            label="About"
            value={action.about ?? NOWHERE}
            options={[{ value: NOWHERE, label: `the ${place.table.singular.replaceAll('_', ' ')}` }, ...pathsAt(place, ['link'])]}
            onChange={(v) => put(`${path}/about`, v === NOWHERE ? undefined : v)}
          />
        </Labelled>
      </div>
      <Labelled label="Until when">
        <ValueField field={DUE} value={action.due ?? null} onChange={(due: Value) => put(`${path}/due`, due === null ? undefined : due)} />
      </Labelled>
      <Labelled label="Note">
        <PlaceholderText label="Note" rows={2} className="blank-line" value={action.note ?? ''} onChange={(note) => put(`${path}/note`, note || undefined)} />
      </Labelled>
    </div>
  )
}

/** A choice: its branches are lines of their own; here more are added. */
export function ChooseFields({ action }: { action: Of<'choose'> }) {
  const { put, path } = usePlace()
  return (
    <div className="flex gap-6">
      <Button onClick={() => put(`${path}/branches`, [...action.branches, { when: { all: [NEW_CLAUSE] }, actions: [] }])}>Add a branch</Button>
      {action.otherwise ? (
        <Button onClick={() => put(`${path}/otherwise`, undefined)}>Do nothing otherwise</Button>
      ) : (
        <Button onClick={() => put(`${path}/otherwise`, [])}>Say what happens otherwise</Button>
      )}
    </div>
  )
}

/** When a branch is taken. */
export function BranchFields({ branch }: { branch: Of<'choose'>['branches'][number] }) {
  const { put, path, table } = usePlace()
  return <ConditionTree table={table} condition={branch.when} onChange={(when) => put(`${path}/when`, when ?? { all: [] })} />
}

/** A repetition: which list, the name of an entry, and which entries count. */
export function EachFields({ action }: { action: Of<'each'> }) {
  const place = usePlace()
  const { put, path } = place
  const lists = listsAt(place)
  const entries = lists.find((l) => l.option.value === action.of)
  return (
    <div className="grid gap-4">
      <div className="grid grid-cols-2 gap-8">
        <Labelled label="For each of">
          <Choice
            label="For each of"
            value={action.of || null}
            options={lists.map((l) => l.option)}
            onChange={(of) => put(path, { ...action, of, as: lists.find((l) => l.option.value === of)?.table.singular ?? action.as })}
          />
        </Labelled>
        <Labelled label="Called" note="what stands under it can speak of it">
          <input aria-label="Called" className="blank-line font-mono text-sm" value={action.as} onChange={(e) => put(`${path}/as`, e.target.value)} />
        </Labelled>
      </div>
      {entries && <ConditionTree table={entries.table} condition={action.where} onChange={(where) => put(`${path}/where`, where)} outer={place.table} />}
    </div>
  )
}
