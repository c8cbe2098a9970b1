'use client'

import { useState } from 'react'
import type { RecordCue } from '@/core/document/document'
import { durationWords, typedDuration } from '@/core/values/duration'
import { possessive } from '@/core/values/naming'
import type { TableDef } from '@/core/values/tables'
import { Choice } from '../../parts/choice'
import { Labelled } from '../../parts/labelled'
import type { EditorSetting } from '../setting'
import type { CueProps } from './props'
import { SomeOf } from './some-of'

const KINDS = ['created', 'changed', 'deleted'] as const
const ANYONE = 'anyone'

/** A record cue: what happens to records, in which fields, whose they are, and for how long they must stay so. */
export function RecordFields({ cue, table, setting, put }: CueProps & { readonly cue: RecordCue }) {
  return (
    <>
      <fieldset>
        <legend className="text-muted text-xs">When one is</legend>
        <div className="flex gap-5 py-1">
          {KINDS.map((kind) => (
            <label key={kind} className="flex items-center gap-1.5">
              <input
                type="checkbox"
                className="accent-spruce"
                checked={cue.on.includes(kind)}
                onChange={(e) => {
                  const on = KINDS.filter((k) => (k === kind ? e.target.checked : cue.on.includes(k)))
                  if (on.length) put('/cue/on', on)
                }}
              />
              {kind}
            </label>
          ))}
        </div>
      </fieldset>
      {table && cue.on.includes('changed') && <ChangedFields table={table} cue={cue} put={put} />}
      {table?.ownerField && (
        <Labelled label="Whose">
          <Choice label="Whose" value={whoseValue(cue)} options={whoseOptions(setting)} onChange={(v) => put('/cue/whose', readWhose(v))} />
        </Labelled>
      )}
      <StaysField stays={cue.stays} onStays={(stays) => put('/cue/stays', stays)} />
    </>
  )
}

/** For how long what became true must stay so before it fires, typed as "5 days"; blank fires at once. */
function StaysField({ stays, onStays }: { stays: string | undefined; onStays: (stays: string | undefined) => void }) {
  const [text, setText] = useState<string | null>(null)
  const shown = text ?? (stays === undefined ? '' : durationWords(stays))
  const isBlank = shown.trim() === ''
  const read = isBlank ? null : text === null ? stays : typedDuration(text)
  return (
    <Labelled
      label="And stays so for"
      note={
        isBlank
          ? 'It fires at once.'
          : stays === undefined
            ? undefined
            : `It fires when the conditions have held for ${durationWords(stays)}; a change that breaks them ends the wait.`
      }
      fault={!isBlank && read === null ? 'Write it such as “5 days”, “4 hours”, “90 minutes”.' : undefined}
    >
      <input
        aria-label="And stays so for"
        className="blank-line"
        placeholder="5 days"
        value={shown}
        onChange={(e) => {
          setText(e.target.value)
          const typed = typedDuration(e.target.value)
          if (e.target.value.trim() === '') onStays(undefined)
          else if (typed !== null) onStays(typed)
        }}
        onBlur={() => (isBlank || read !== null) && setText(null)}
      />
    </Labelled>
  )
}

function ChangedFields({ table, cue, put }: { table: TableDef; cue: RecordCue; put: (path: string, value: unknown) => void }) {
  const chosen = cue.fields ?? []
  return (
    <SomeOf
      label="Changed in"
      note={chosen.length === 0 ? 'Any field counts.' : undefined}
      chosen={chosen}
      rest={table.fields.filter((f) => !f.housekeeping && !chosen.includes(f.name)).map((f) => f.name)}
      words={(name) => table.fields.find((f) => f.name === name)?.label.toLowerCase() ?? name}
      named={(name) => name}
      none="any field"
      onChange={(fields) => put('/cue/fields', fields.length ? fields : undefined)}
    />
  )
}

function whoseValue(cue: RecordCue): string {
  if (!cue.whose) return ANYONE
  return 'team' in cue.whose ? `team ${cue.whose.team}` : `person ${cue.whose.person}`
}

function whoseOptions(setting: EditorSetting) {
  return [
    { value: ANYONE, label: 'anyone’s' },
    ...setting.teams.map((t) => ({ value: `team ${t}`, label: `the team ${possessive(t)}`, note: 'team' })),
    ...setting.people.map((p) => ({ value: `person ${p.email}`, label: possessive(p.name), note: 'person' })),
  ]
}

function readWhose(value: string): RecordCue['whose'] {
  if (value.startsWith('team ')) return { team: value.slice(5) }
  return value.startsWith('person ') ? { person: value.slice(7) } : undefined
}
