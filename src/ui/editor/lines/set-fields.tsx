'use client'

import type { OtherAction, Value } from '@/core/document/document'
import { must } from '@/core/must'
import type { TableDef } from '@/core/values/tables'
import { Choice } from '../../parts/choice'
import { Labelled } from '../../parts/labelled'
import { useReach } from '../../records/tables-context'
import { type Place, usePlace } from '../place'
import { setOffers } from './set-offers'
import { ValueField } from './value-field'

type Of<Do extends OtherAction['do']> = Extract<OtherAction, { do: Do }>

/** What an action sets: a row for each field, and a list of the others. */
function SetRows({ target, set, onChange }: { target: TableDef; set: Readonly<Record<string, Value>>; onChange: (set: Record<string, Value>) => void }) {
  const names = Object.keys(set)
  const place = usePlace()
  const rest = target.fields.filter((f) => !names.includes(f.name) && !f.housekeeping && !f.number)
  const offers = setOffers(rest, target, place)
  return (
    <div className="grid gap-3">
      {names.map((name) => {
        const field = target.fields.find((f) => f.name === name) ?? { name, label: name, type: 'text' as const }
        return (
          <div key={name} className="grid grid-cols-[9rem_minmax(0,1fr)_auto] items-start gap-4">
            <span className="py-0.5 font-semibold">{field.label}</span>
            <ValueField field={field} value={set[name] as Value} onChange={(value) => onChange({ ...set, [name]: value })} />
            <button
              type="button"
              aria-label={`Do not set ${field.label.toLowerCase()}`}
              className="px-1 text-muted hover:text-alarm"
              onClick={() => onChange(Object.fromEntries(Object.entries(set).filter(([n]) => n !== name)))}
            >
              ×
            </button>
          </div>
        )
      })}
      <div className="w-80">
        <Choice
          label="Set a field"
          value={null}
          placeholder={names.length ? 'and set …' : 'Set …'}
          options={offers.map((o) => o.option)}
          onChange={(key) => {
            const offer = offers.find((o) => o.option.value === key)
            if (offer) onChange({ ...set, [offer.name]: offer.value })
          }}
        />
      </div>
    </div>
  )
}

/** Records that an update can be about: the record, and whatever is named here. */
function targetsOf({ table, roots, wording }: Place) {
  const links = table.fields
    .filter((f) => f.type === 'link')
    .map((f) => ({ option: { value: f.name, label: `its ${f.label.toLowerCase()}`, note: 'link' }, table: must(wording.schema.get(f.table as string)) }))
  const named = [...roots].flatMap(([name, root]) =>
    root.kind === 'value' || ['record', 'before', table.singular].includes(name)
      ? []
      : [
          {
            option: { value: name, label: root.kind === 'list' ? `each of ${name.replaceAll('_', ' ')}` : `the ${name.replaceAll('_', ' ')}`, note: 'brought in' },
            table: root.table,
          },
        ],
  )
  return [{ option: { value: 'record', label: `the ${table.singular.replaceAll('_', ' ')}`, note: 'this record' }, table }, ...named, ...links]
}

/** Which record is updated, and what is set. */
export function UpdateFields({ action }: { action: Of<'update'> }) {
  const place = usePlace()
  const targets = targetsOf(place)
  const target = targets.find((t) => t.option.value === (action.target ?? 'record'))
  const put = (part: string, value: unknown) => place.put(`${place.path}/${part}`, value)
  return (
    <div className="grid gap-4">
      <Labelled label="Which record" className="w-60">
        <Choice
          label="Which record"
          value={target?.option.value ?? null}
          options={targets.map((t) => t.option)}
          onChange={(v) => place.put(place.path, { ...action, target: v === 'record' ? undefined : v, set: {} })}
        />
      </Labelled>
      {target && <SetRows target={target.table} set={action.set} onChange={(set) => put('set', set)} />}
    </div>
  )
}

/** The table of what is created, and what is set in it. */
export function CreateFields({ action }: { action: Of<'create'> }) {
  const { wording, put, path } = usePlace()
  const reach = useReach()
  const target = wording.schema.get(action.table)
  const tables = [...wording.schema.values()].filter((t) => t.name !== 'person')
  return (
    <div className="grid gap-4">
      <div className="grid grid-cols-2 gap-8">
        <Labelled label="A record of">
          <Choice
            label="A record of"
            value={action.table || null}
            options={tables.map((t) => ({ value: t.name, label: t.label }))}
            onChange={(table) => void reach(table).then(() => put(path, { ...action, table, set: {} }))}
          />
        </Labelled>
        <Labelled label="Goes by the name" note="what follows can speak of it">
          <input aria-label="Goes by the name" className="blank-line font-mono text-sm" value={action.name} onChange={(e) => put(`${path}/name`, e.target.value)} />
        </Labelled>
      </div>
      {target && <SetRows target={target} set={action.set} onChange={(set) => put(`${path}/set`, set)} />}
    </div>
  )
}
