'use client'

import type { RecordCue, Workflow } from '@/core/document/document'
import type { TableDef } from '@/core/values/tables'
import { Choice } from '../parts/choice'
import { Labelled } from '../parts/labelled'
import type { EditorSetting } from './setting'

const KINDS = ['created', 'changed', 'deleted'] as const
const ANYONE = 'anyone'

/** The cue's controls: table, what happens to its records, in which fields, and whose they are. */
export function CueFields({
  document,
  table,
  setting,
  put,
}: {
  document: Workflow
  table: TableDef | undefined
  setting: EditorSetting
  put: (path: string, value: unknown) => void
}) {
  const cue = document.cue as RecordCue
  const tables = setting.tables.filter((t) => t.name !== 'person')
  return (
    <div className="grid grid-cols-2 gap-x-8 gap-y-4">
      <Labelled label="Records of">
        <Choice label="Records of" value={document.table || null} options={tables.map((t) => ({ value: t.name, label: t.label }))} onChange={(name) => put('/table', name)} />
      </Labelled>
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
    </div>
  )
}

function ChangedFields({ table, cue, put }: { table: TableDef; cue: RecordCue; put: (path: string, value: unknown) => void }) {
  const chosen = cue.fields ?? []
  const rest = table.fields.filter((f) => !f.housekeeping && !chosen.includes(f.name))
  return (
    <Labelled label="Changed in" note={chosen.length === 0 ? 'Any field counts.' : undefined}>
      <div className="flex flex-wrap items-baseline gap-x-3">
        {chosen.map((name) => (
          <button
            key={name}
            type="button"
            aria-label={`Take ${name} away`}
            className="hover:text-alarm"
            onClick={() => put('/cue/fields', chosen.length === 1 ? undefined : chosen.filter((c) => c !== name))}
          >
            {table.fields.find((f) => f.name === name)?.label.toLowerCase() ?? name} <span className="text-muted">×</span>
          </button>
        ))}
        <div className="min-w-32 flex-1">
          <Choice
            label="Changed in"
            value={null}
            placeholder={chosen.length ? 'or …' : 'any field'}
            options={rest.map((f) => ({ value: f.name, label: f.label.toLowerCase() }))}
            onChange={(name) => put('/cue/fields', [...chosen, name])}
          />
        </div>
      </div>
    </Labelled>
  )
}

function whoseValue(cue: RecordCue): string {
  if (!cue.whose) return ANYONE
  return 'team' in cue.whose ? `team ${cue.whose.team}` : `person ${cue.whose.person}`
}

function whoseOptions(setting: EditorSetting) {
  return [
    { value: ANYONE, label: 'anyone’s' },
    ...setting.teams.map((t) => ({ value: `team ${t}`, label: `the team ${t}’s`, note: 'team' })),
    ...setting.people.map((p) => ({ value: `person ${p.email}`, label: `${p.name}’s`, note: 'person' })),
  ]
}

function readWhose(value: string): RecordCue['whose'] {
  if (value.startsWith('team ')) return { team: value.slice(5) }
  return value.startsWith('person ') ? { person: value.slice(7) } : undefined
}
