'use client'

import type { Wording } from '@/core/conditions/sentence'
import { type TableDef, targetOf } from '@/core/values/tables'
import { recipientWords } from '@/core/workflow/brief'
import type { Recipient } from '@/core/workflow/document'
import { Choice, type Option } from '../parts/choice'
import { Labelled } from '../parts/labelled'
import type { EditorSetting } from './setting'

interface Props {
  readonly label: string
  readonly entries: readonly Recipient[]
  readonly table: TableDef
  readonly setting: EditorSetting
  readonly wording: Wording
  readonly onChange: (entries: Recipient[]) => void
}

const NEW_ADDRESS = 'address'

/** Who gets it: each entry in words, and a list of whom else there is. */
export function RecipientsField({ label, entries, table, setting, wording, onChange }: Props) {
  const options = recipientOptions(table, setting, wording)
  const add = (key: string) => onChange([...entries, key === NEW_ADDRESS ? { address: '' } : (JSON.parse(key) as Recipient)])
  const set = (i: number, entry: Recipient) => onChange(entries.map((e, n) => (n === i ? entry : e)))
  return (
    <Labelled label={label}>
      <ul>
        {entries.map((entry, i) => (
          <li key={i} className="flex items-baseline gap-2">
            {'address' in entry ? (
              <input
                aria-label={`${label}, address`}
                className="blank-line"
                placeholder="someone@example.org"
                value={entry.address}
                onChange={(e) => set(i, { address: e.target.value })}
              />
            ) : (
              <span className="flex-1 py-0.5">{recipientWords(entry, table, wording)}</span>
            )}
            <button
              type="button"
              aria-label={`Take ${recipientWords(entry, table, wording)} away`}
              className="px-1 text-muted hover:text-alarm"
              onClick={() => onChange(entries.filter((_, n) => n !== i))}
            >
              ×
            </button>
          </li>
        ))}
      </ul>
      <Choice label={`Add to ${label}`} value={null} placeholder={entries.length ? 'and …' : 'Choose who …'} options={options} onChange={add} />
    </Labelled>
  )
}

function recipientOptions(table: TableDef, setting: EditorSetting, wording: Wording): Option[] {
  const entries: { entry: Recipient; note: string }[] = []
  for (const field of table.fields) {
    if (field.type === 'person') {
      entries.push(
        { entry: { field: field.name }, note: 'person' },
        { entry: { managerOf: field.name }, note: 'person' },
        { entry: { field: `before.${field.name}` }, note: 'person' },
      )
    } else if (field.type === 'email') entries.push({ entry: { field: field.name }, note: 'email' })
    const target = wording.schema.get(targetOf(field) ?? '')
    if (!target || field.type === 'person') continue
    for (const far of target.fields) if (far.type === 'email' || far.type === 'person') entries.push({ entry: { field: `${field.name}.${far.name}` }, note: far.type })
  }
  entries.push({ entry: { changedBy: true }, note: 'person' })
  entries.push(...setting.groups.map((group) => ({ entry: { group }, note: 'group' })), ...setting.teams.map((team) => ({ entry: { team }, note: 'team' })))
  return [
    ...entries.map(({ entry, note }) => ({ value: JSON.stringify(entry), label: recipientWords(entry, table, wording), note })),
    { value: NEW_ADDRESS, label: 'an address …' },
  ]
}
