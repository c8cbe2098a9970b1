'use client'

import { type KeyboardEvent, useState } from 'react'
import type { FieldDef, Stored } from '@/core/values/tables'
import { Choice, type Option } from '../parts/choice'
import { DateField } from '../parts/date-field'
import { useUnsaved } from '../shell/leaving'
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
  /** Whether it is edited now: a list opens at once, and closing it ends the editing. */
  readonly autoFocus?: boolean
  /** What was typed before and refused; it stands there to be mended. */
  readonly typed?: Stored
}

const BLANK = '\u0000blank'

/** The control for one value of a field. Enter or leaving it saves, Esc gives up; choices save at once. */
export function ValueEditor({ field, value, title, people, onSave, onCancel, autoFocus, typed }: Props) {
  const now = autoFocus ? { startOpen: true, onClose: onCancel } : {}
  if (field.type === 'choice')
    return (
      <Options
        field={field}
        value={value === null ? BLANK : String(value)}
        options={(field.choices ?? []).map((c) => ({ value: c, label: c }))}
        onPick={(v) => onSave(v)}
        {...now}
      />
    )
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
        {...now}
      />
    )
  if (field.type === 'person')
    return (
      <Options
        field={field}
        value={value === null ? BLANK : String(value)}
        options={people.filter((p) => p.active || p.id === value).map((p) => ({ value: String(p.id), label: p.name }))}
        onPick={(v) => onSave(v === null ? null : Number(v))}
        {...now}
      />
    )
  if (field.type === 'link') return <LinkPicker field={field} value={value} title={title} onPick={onSave} {...now} />
  if (field.type === 'file') return <FileEditor field={field} onSave={onSave} onCancel={onCancel} autoFocus={autoFocus ?? false} />
  return <TextEditor field={field} value={value} typed={typed} onSave={onSave} onCancel={onCancel} autoFocus={autoFocus} />
}

interface OptionsProps {
  readonly field: FieldDef
  readonly value: string
  readonly options: readonly Option[]
  readonly onPick: (value: string | null) => void
  readonly startOpen?: boolean
  readonly onClose?: () => void
}

function Options({ field, value, options, onPick, ...rest }: OptionsProps) {
  const all = field.required ? options : [{ value: BLANK, label: 'blank' }, ...options]
  return <Choice label={field.label} value={all.some((o) => o.value === value) ? value : null} options={all} onChange={(v) => onPick(v === BLANK ? null : v)} {...rest} />
}

const INPUT_TYPES: Partial<Record<FieldDef['type'], string>> = { email: 'email', phone: 'tel' }

/** A value as it is typed. */
const asTyped = (value: Stored) => (value === null ? '' : String(value))

function TextEditor({ field, value, typed, onSave, onCancel, autoFocus }: Omit<Props, 'people' | 'title'>) {
  const start = asTyped(value)
  const [text, setText] = useState(typed === undefined ? start : asTyped(typed))
  useUnsaved(text !== start, field.label)
  const save = () => {
    if (text === start) onCancel?.()
    else if (text.trim() === '') onSave(null)
    else onSave(text)
  }
  const onKeyDown = (event: KeyboardEvent) => {
    if (event.key === 'Escape') onCancel?.()
    else if (event.key === 'Enter' && (field.type !== 'long text' || event.ctrlKey)) {
      event.preventDefault()
      save()
    } else return
    event.stopPropagation()
  }
  if (field.type === 'date' || field.type === 'date-time')
    return <DateField label={field.label} value={text} onChange={setText} clock={field.type === 'date-time'} autoFocus={autoFocus} onBlur={save} onKeyDown={onKeyDown} />
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
