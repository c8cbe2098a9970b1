'use client'

import { useRef } from 'react'
import type { Wording } from '@/core/conditions/sentence'
import type { TableDef } from '@/core/values/tables'
import type { EmailAction } from '@/core/workflow/document'
import { pathOptions } from '../brief/clause-fields'
import { Choice, type Option } from '../parts/choice'
import { Labelled } from '../parts/labelled'
import { RecipientsField } from './recipients-field'
import type { EditorSetting } from './setting'

interface Props {
  readonly action: EmailAction
  readonly path: string
  readonly table: TableDef
  readonly setting: EditorSetting
  readonly wording: Wording
  readonly put: (path: string, value: unknown) => void
}

/** Everything about an email in one glance: who gets it, what it says, how it is sent. */
export function EmailFields({ action, path, table, setting, wording, put }: Props) {
  const body = useRef<HTMLTextAreaElement>(null)
  const list = { table, setting, wording }
  const set = (part: keyof EmailAction) => (value: unknown) => put(`${path}/${part}`, value)
  const insert = (text: string) => {
    const area = body.current
    const at = area?.selectionStart ?? (action.body ?? '').length
    const end = area?.selectionEnd ?? at
    const old = action.body ?? ''
    set('body')(old.slice(0, at) + text + old.slice(end))
    requestAnimationFrame(() => {
      area?.focus()
      area?.setSelectionRange(at + text.length, at + text.length)
    })
  }
  return (
    <div className="grid gap-4">
      <div className="grid grid-cols-2 gap-8">
        <RecipientsField label="To" entries={action.to} onChange={set('to')} {...list} />
        <RecipientsField label="Cc" entries={action.cc ?? []} onChange={(v) => set('cc')(v.length ? v : undefined)} {...list} />
      </div>
      <Labelled label="Subject">
        <input aria-label="Subject" className="blank-line font-serif text-lg" value={action.subject ?? ''} onChange={(e) => set('subject')(e.target.value)} />
      </Labelled>
      <div>
        <div className="flex items-baseline justify-between">
          <label htmlFor={`${path}-body`} className="text-muted text-xs">
            Body
          </label>
          <div className="w-56">
            <Choice label="Put in a placeholder" value={null} placeholder="Put in a placeholder …" options={placeholderOptions(table, wording)} onChange={insert} />
          </div>
        </div>
        <textarea
          id={`${path}-body`}
          ref={body}
          rows={9}
          className="blank-line mt-1 border border-rule bg-sheet px-3 py-2 font-serif text-base leading-relaxed"
          value={action.body ?? ''}
          onChange={(e) => set('body')(e.target.value)}
        />
      </div>
      <HowSent action={action} set={set} hasOwner={table.ownerField !== undefined} />
    </div>
  )
}

function HowSent({ action, set, hasOwner }: { action: EmailAction; set: (part: keyof EmailAction) => (value: unknown) => void; hasOwner: boolean }) {
  return (
    <div className="grid grid-cols-3 gap-8">
      <Labelled label="From">
        <Choice
          label="From"
          value={typeof action.from === 'string' ? action.from : 'default'}
          options={[{ value: 'default', label: 'the organisation' }, ...(hasOwner ? [{ value: 'owner', label: 'the owner’s name' }] : [])]}
          onChange={(v) => set('from')(v === 'default' ? undefined : v)}
        />
      </Labelled>
      <Labelled label="Sent">
        <Choice
          label="Sent"
          value={action.delivery ?? 'together'}
          options={[
            { value: 'together', label: 'one mail to all' },
            { value: 'each', label: 'one each' },
          ]}
          onChange={(v) => set('delivery')(v === 'together' ? undefined : v)}
        />
      </Labelled>
      <Labelled label="Priority">
        <Choice
          label="Priority"
          value={action.priority ?? 'normal'}
          options={['low', 'normal', 'high'].map((p) => ({ value: p, label: p }))}
          onChange={(v) => set('priority')(v === 'normal' ? undefined : v)}
        />
      </Labelled>
    </div>
  )
}

const CHANGES = `{% for field in change.fields %}- {{ field.label }}: {{ field.before | default: "blank" }} to {{ field.after | default: "blank" }}
{% endfor %}`

function placeholderOptions(table: TableDef, wording: Wording): Option[] {
  const own = pathOptions(table, wording.schema).filter((o) => o.value !== 'id')
  return [
    ...own.map((o) => ({ value: `{{ ${table.singular}.${o.value} }}`, label: `${table.singular} › ${o.value.replaceAll('.', ' › ')}` })),
    { value: '{{ change.by.name }}', label: 'change › by › name' },
    { value: '{{ change.at }}', label: 'change › at' },
    { value: CHANGES, label: 'change › what changed, a line each' },
    { value: '{{ link }}', label: 'link to the record' },
    { value: '{{ recipient.name }}', label: 'recipient › name' },
  ]
}
