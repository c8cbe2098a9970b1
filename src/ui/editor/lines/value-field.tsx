'use client'

import type { Value } from '@/core/document/document'
import { membersOf } from '@/core/must'
import { type FieldDef, type FieldType, type Stored, targetOf } from '@/core/values/tables'
import { fixedOptions } from '../../brief/clause-values'
import { Choice } from '../../parts/choice'
import { DateField } from '../../parts/date-field'
import { LinkPicker } from '../../records/link-picker'
import { FormulaField } from '../formula-field'
import { pathsAt, usePlace } from '../place'
import { likeTypes } from './set-offers'

type Way = 'fixed' | 'field' | 'text' | 'formula' | 'today' | 'now'

const WAYS: readonly { value: Way; label: string; on: (type: FieldType) => boolean }[] = [
  { value: 'fixed', label: 'a fixed value', on: () => true },
  { value: 'field', label: 'what a field holds', on: () => true },
  { value: 'text', label: 'a text', on: (type) => ['text', 'long text', 'email', 'phone', 'folder'].includes(type) },
  { value: 'formula', label: 'a formula', on: () => true },
  { value: 'today', label: 'a day, counted from today', on: (type) => type === 'date' || type === 'date-time' },
  { value: 'now', label: 'the moment', on: (type) => type === 'date-time' },
]

function wayOf(value: Value): Way {
  if (value === null || typeof value !== 'object') return 'fixed'
  return WAYS.find((w) => w.value in value)?.value ?? 'fixed'
}

const FRESH: Record<Way, Value> = { fixed: null, field: { field: '' }, text: { text: '' }, formula: { formula: '' }, today: { today: 0 }, now: { now: true } }

/** A value that an action sets: first how it comes about, then what it is. */
export function ValueField({ field, value, onChange }: { field: FieldDef; value: Value; onChange: (value: Value) => void }) {
  const way = wayOf(value)
  return (
    <div className="grid grid-cols-[10rem_minmax(0,1fr)] items-start gap-4">
      <Choice
        label={`How ${field.label.toLowerCase()} is set`}
        value={way}
        options={WAYS.filter((w) => w.on(field.type))}
        onChange={(next) => next !== way && onChange(FRESH[next])}
      />
      <Given field={field} way={way} value={value} onChange={onChange} />
    </div>
  )
}

function Given({ field, way, value, onChange }: { field: FieldDef; way: Way; value: Value; onChange: (value: Value) => void }) {
  const place = usePlace()
  const label = field.label
  const held = membersOf(value)
  if (way === 'field')
    return (
      <Choice label={`${label}, from`} value={String(held.field ?? '') || null} options={pathsAt(place, likeTypes(field.type))} onChange={(path) => onChange({ field: path })} />
    )
  if (way === 'text') return <Line label={label} text={String(held.text ?? '')} onChange={(text) => onChange({ text })} />
  if (way === 'formula') return <FormulaField label={`${label}, formula`} value={String(held.formula ?? '')} onChange={(formula) => onChange({ formula })} />
  if (way === 'today')
    return (
      <Line label={`${label}, days from today`} text={String(held.today ?? 0)} onChange={(text) => /^-?\d*$/.test(text) && onChange({ today: Number.parseInt(text, 10) || 0 })} />
    )
  if (way === 'now') return <p className="py-0.5 text-muted">when the change was made</p>
  return <Fixed field={field} value={value !== null && typeof value === 'object' ? null : value} onChange={onChange} />
}

function Line({ label, text, onChange }: { label: string; text: string; onChange: (text: string) => void }) {
  return <input aria-label={label} className="blank-line" value={text} onChange={(e) => onChange(e.target.value)} />
}

const BLANK = '\u0000blank'

function Fixed({ field, value, onChange }: { field: FieldDef; value: Stored; onChange: (value: Value) => void }) {
  const { setting } = usePlace()
  const fixed = fixedOptions(field, setting.people)
  if (fixed)
    return (
      <Choice
        label={field.label}
        value={value === null ? BLANK : String(value)}
        options={[...fixed, { value: BLANK, label: 'blank' }]}
        onChange={(v) => onChange(v === BLANK ? null : field.type === 'yes/no' ? v === 'true' : v)}
      />
    )
  if (targetOf(field)) return <LinkPicker field={field} value={value} onPick={(v) => onChange(v)} />
  if (field.type === 'date' || field.type === 'date-time')
    return <DateField label={field.label} value={value === null ? '' : String(value)} onChange={(next) => onChange(next === '' ? null : next)} clock={field.type === 'date-time'} />
  const isNumber = field.type === 'number' || field.type === 'money'
  return (
    <input
      aria-label={field.label}
      className="blank-line"
      inputMode={isNumber ? 'decimal' : undefined}
      value={value === null ? '' : String(value)}
      onChange={(e) => onChange(e.target.value === '' ? null : isNumber && /^-?\d{1,15}(\.\d*[1-9])?$/.test(e.target.value) ? Number(e.target.value) : e.target.value)}
    />
  )
}
