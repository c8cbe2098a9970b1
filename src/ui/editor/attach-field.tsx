'use client'

import type { Attach } from '@/core/document/document'
import { Choice } from '../parts/choice'
import { Labelled } from '../parts/labelled'
import { pathsAt, usePlace } from './place'

const nameOf = (entry: Attach) => ('file' in entry ? entry.file : `its ${entry.field.replaceAll('.', '’s ').replaceAll('_', ' ')}`)

/** What mail carries: files of the library, and those of the record's file fields. */
export function AttachField({ entries, onChange }: { entries: readonly Attach[]; onChange: (entries: Attach[]) => void }) {
  const place = usePlace()
  return (
    <Labelled label="Attached">
      <ul>
        {entries.map((entry, i) => (
          <li key={nameOf(entry)} className="flex items-baseline gap-2">
            <span className="min-w-0 flex-1 truncate py-0.5">{nameOf(entry)}</span>
            <button
              type="button"
              aria-label={`${nameOf(entry)} goes as a ${entry.as ?? 'file'}; send it as a ${entry.as ? 'file' : 'link'}`}
              className="px-1 text-spruce text-sm hover:underline"
              onClick={() => {
                const { as, ...bare } = entry
                onChange(entries.map((e, n) => (n === i ? (as ? bare : { ...bare, as: 'link' as const }) : e)))
              }}
            >
              as a {entry.as ?? 'file'}
            </button>
            <button
              type="button"
              aria-label={`Do not attach ${nameOf(entry)}`}
              className="px-1 text-muted hover:text-alarm"
              onClick={() => onChange(entries.filter((_, n) => n !== i))}
            >
              ×
            </button>
          </li>
        ))}
      </ul>
      <Choice
        label="Attach"
        value={null}
        placeholder="Attach …"
        options={[
          ...pathsAt(place, ['file']).map((o) => ({ ...o, value: `field ${o.value}`, label: `its ${o.label}` })),
          ...place.setting.files.map((f) => ({ value: `file ${f.name}`, label: f.name, note: 'library' })),
        ]}
        onChange={(v) => onChange([...entries, v.startsWith('file ') ? { file: v.slice(5) } : { field: v.slice(6) }])}
      />
    </Labelled>
  )
}
