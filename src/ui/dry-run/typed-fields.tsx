'use client'

import type { ChangeKind } from '@/core/changes/change'
import type { Image, Stored, TableDef } from '@/core/values/tables'
import type { EditorSetting } from '../editor/setting'
import { FileEditor } from '../records/file-editor'
import { ValueEditor } from '../records/value-editor'
import { shownValue } from '../records/values'

interface Props {
  readonly table: TableDef
  readonly kind: ChangeKind
  readonly before: Image | null
  readonly after: Image
  readonly titles: Readonly<Record<string, string>>
  readonly setting: EditorSetting
  readonly onType: (edit: (old: Image) => Image) => void
}

/** A record's fields before and after, the latter to be typed into; what differs is marked. */
export function TypedFields({ table, kind, before, after, titles, setting, onType }: Props) {
  return (
    <table aria-label="The record before and after" className="w-full table-fixed border-rule border-b text-left">
      <thead className="text-muted text-xs">
        <tr>
          <th className="w-36 py-1 font-normal">Field</th>
          <th className="font-normal">{before ? 'Before' : ''}</th>
          <th className="w-[45%] font-normal">{kind === 'deleted' ? '' : 'After'}</th>
        </tr>
      </thead>
      <tbody>
        {table.fields.map((field) => {
          const was = before?.[field.name] ?? null
          const is = after[field.name] ?? null
          return (
            <tr key={field.name} className={`border-rule border-t align-baseline ${kind === 'changed' && !same(was, is) ? 'bg-rope-wash' : ''}`}>
              <th scope="row" className="py-1 pl-1 font-normal text-muted">
                {field.label}
              </th>
              <td className="truncate pr-4">{before && (shownValue(field, was, titles, setting.organisation) || <span className="text-muted">blank</span>)}</td>
              <td>
                {kind !== 'deleted' && field.type === 'file' && (
                  <div className="flex flex-wrap gap-x-5">
                    <span className="truncate">{shownValue(field, is, titles, setting.organisation) || <span className="text-muted">blank</span>}</span>
                    <FileEditor field={{ ...field, required: false }} autoFocus={false} onSave={(value) => onType((old) => ({ ...old, [field.name]: value }))} />
                  </div>
                )}
                {kind !== 'deleted' && field.type !== 'file' && (
                  <ValueEditor
                    field={{ ...field, required: false }}
                    value={is}
                    title={titles[`${field.table ?? field.type} ${is}`]}
                    people={setting.people}
                    onSave={(value) => onType((old) => ({ ...old, [field.name]: value }))}
                  />
                )}
              </td>
            </tr>
          )
        })}
      </tbody>
    </table>
  )
}

const same = (a: Stored, b: Stored) => a === b || String(a ?? '') === String(b ?? '')
