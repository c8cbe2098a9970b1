'use client'

import { type KeyboardEvent, useState } from 'react'
import type { FieldDef, Stored } from '@/core/values/tables'
import { Choice } from '../parts/choice'
import { FileEditor } from './file-editor'
import { LinkPicker } from './link-picker'
import type { PersonChoice } from './values'

interface Props {
  readonly field: FieldDef
  readonly value: Stored
  readonly title?: string
  readonly people: readonly PersonChoice[]
  /** Takes the value as typed: texts for numbers and dates, null for blank. */
  readonly onSave: (value: Stored) => void
  readonly onCancel?: () => void
  readonly autoFocus?: boolean
}

const BLANK = '\u0000blank'

/** The control for one value of a field. Enter or leaving it saves, Esc gives up; choices save at once. */
export function ValueEditor({ field, value, title, people, onSave, onCancel, autoFocus }: Props) {
  if (field.type === 'choice')
    return <Options field={field} value={value === null ? BLANK : String(value)} options={(field.choices ?? []).map((c) => ({ value: c, label: c }))} onPick={(v) => onSave(v)} />
  if (field.type === 'yes/no')
    return (
      <Options
        field={field}
        value={value === null ? BLANK : value ? 'yes' : 'no'}
        options={[
          { value: 'yes', label: 'yes' },
          { value: 'no', label: 'no' },
        ]}
        onPick={(v) => onSave(v === null ? null : v === 'yes')}
      />
    )
  if (field.type === 'person')
    return (
      <Options
        field={field}
        value={value === null ? BLANK : String(value)}
        options={people.filter((p) => p.active || p.id === value).map((p) => ({ value: String(p.id), label: p.name }))}
        onPick={(v) => onSave(v === null ? null : Number(v))}
      />
    )
  if (field.type === 'link') return <LinkPicker field={field} value={value} title={title} onPick={onSave} />
  if (field.type === 'file') return <FileEditor field={field} onSave={onSave} onCancel={onCancel} />
  return <TextEditor field={field} value={value} onSave={onSave} onCancel={onCancel} autoFocus={autoFocus} />
}

function Options({ field, value, options, onPick }: { field: FieldDef; value: string; options: { value: string; label: string }[]; onPick: (value: string | null) => void }) {
  const all = field.required ? options : [{ value: BLANK, label: 'blank' }, ...options]
  return <Choice label={field.label} value={all.some((o) => o.value === value) ? value : null} options={all} onChange={(v) => onPick(v === BLANK ? null : v)} />
}

const INPUT_TYPES: Partial<Record<FieldDef['type'], string>> = { date: 'date', 'date-time': 'datetime-local', email: 'email', phone: 'tel' }

/** A date-time as the browser's own control wants it, in the browser's zone. */
function localInstant(value: string): string {
  const moment = new Date(value)
  return new Date(moment.getTime() - moment.getTimezoneOffset() * 60_000).toISOString().slice(0, 16)
}

function TextEditor({ field, value, onSave, onCancel, autoFocus }: Omit<Props, 'people' | 'title'>) {
  const start = value === null ? '' : field.type === 'date-time' ? localInstant(String(value)) : String(value)
  const [text, setText] = useState(start)
  const save = () => {
    if (text === start) onCancel?.()
    else if (text.trim() === '') onSave(null)
    else onSave(field.type === 'date-time' ? new Date(text).toISOString() : text)
  }
  const onKeyDown = (event: KeyboardEvent) => {
    if (event.key === 'Escape') onCancel?.()
    else if (event.key === 'Enter' && (field.type !== 'long text' || event.ctrlKey)) {
      event.preventDefault()
      save()
    } else return
    event.stopPropagation()
  }
  const common = { 'aria-label': field.label, value: text, onBlur: save, onKeyDown, autoFocus, className: 'blank-line' }
  if (field.type === 'long text') return <textarea {...common} rows={3} onChange={(e) => setText(e.target.value)} />
  return (
    <input
      {...common}
      type={INPUT_TYPES[field.type] ?? 'text'}
      inputMode={field.type === 'number' || field.type === 'money' ? 'decimal' : undefined}
      onChange={(e) => setText(e.target.value)}
    />
  )
}
