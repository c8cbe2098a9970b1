'use client'

import Link from 'next/link'
import { useRouter } from 'next/navigation'
import { useMemo, useState } from 'react'
import type { ChangeKind } from '@/core/changes/change'
import { type FieldDef, type Image, type Stored, titleOf } from '@/core/values/tables'
import { briefOf } from '@/core/workflow/brief'
import type { Workflow } from '@/core/workflow/document'
import { useAsked } from '../editor/asked'
import type { ShownPlan } from '../editor/evidence'
import { PlanTold } from '../editor/margin'
import { type EditorSetting, shownAt, wordingOf } from '../editor/setting'
import { Choice } from '../parts/choice'
import { Labelled } from '../parts/labelled'
import { MarginTitle, Page, Title } from '../parts/page'
import { LinkPicker } from '../records/link-picker'
import { TablesProvider } from '../records/tables-context'
import { ValueEditor } from '../records/value-editor'
import { shownValue } from '../records/values'

/** What a dry run begins from: a change's images, or a record as it is. */
export interface Begun {
  readonly kind: ChangeKind
  readonly before: Image | null
  readonly after: Image | null
  /** Which that is, in words. */
  readonly said: string
}

const KINDS: readonly { readonly value: ChangeKind; readonly label: string }[] = [
  { value: 'created', label: 'is created' },
  { value: 'changed', label: 'is changed' },
  { value: 'deleted', label: 'is deleted' },
]

const AFTER_MS = 250

interface Props {
  readonly name: string
  readonly document: Workflow
  readonly setting: EditorSetting
  readonly begun: Begun
  readonly titles: Readonly<Record<string, string>>
}

/** A dry run: a record before and after, to be typed into, and in the margin what the draft would do about it. Nothing is sent. */
export function DryRun({ name, document, setting, begun, titles }: Props) {
  const router = useRouter()
  const wording = useMemo(() => wordingOf(setting), [setting])
  const table = wording.schema.get(document.table)
  const [kind, setKind] = useState(begun.kind)
  const [after, setAfter] = useState<Image>(begun.after ?? begun.before ?? {})
  const before = kind === 'created' ? null : (begun.before ?? begun.after ?? {})
  const lines = useMemo(() => briefOf(document, wording), [document, wording])
  const change = { kind, ...(before ? { before: sendable(before) } : {}), ...(kind === 'deleted' ? {} : { after: sendable(after) }) }
  const { answer, fault, busy } = useAsked<ShownPlan>('/api/v1/try', { workflow: document, change }, AFTER_MS)
  if (!table) return null
  const asLink: FieldDef = { name: 'record', label: 'Record', type: 'link', table: table.name }
  const record = Number((begun.after ?? begun.before)?.id) || null
  const fields = table.fields.filter((f) => f.type !== 'file')
  return (
    <TablesProvider tables={setting.tables}>
      <Page
        margin={
          <section aria-label="What it would do" aria-busy={busy}>
            <MarginTitle note="With linked data as it is now. Nothing is sent or written.">What it would do</MarginTitle>
            {fault && <p role="alert">{fault}</p>}
            {answer && <PlanTold plan={answer} preview={null} lines={lines} line={undefined} shown={(path, value) => shownAt(setting, table, path, value)} />}
          </section>
        }
      >
        <p className="text-sm">
          <Link href={`/workflows/${encodeURIComponent(name)}`}>{name}</Link>
        </p>
        <Title>Dry run</Title>
        <p className="text-muted">Begun from {begun.said}. Type what is to be otherwise.</p>
        <div className="mt-4 mb-5 grid max-w-2xl grid-cols-2 gap-8">
          <Labelled label={`The ${table.singular.replaceAll('_', ' ')}`}>
            <Choice label="What happens" value={kind} options={KINDS} onChange={(v) => setKind(v as ChangeKind)} />
          </Labelled>
          <Labelled label="Begin from another">
            <LinkPicker
              field={asLink}
              value={record}
              title={record === null ? '' : titleOf(table, begun.after ?? begun.before ?? {})}
              onPick={(id) => id !== null && router.push(`/workflows/${encodeURIComponent(name)}/dry-run?record=${id}`)}
            />
          </Labelled>
        </div>
        <table aria-label="The record before and after" className="w-full table-fixed border-rule border-b text-left">
          <thead className="text-muted text-xs">
            <tr>
              <th className="w-36 py-1 font-normal">Field</th>
              <th className="font-normal">{before ? 'Before' : ''}</th>
              <th className="w-[45%] font-normal">{kind === 'deleted' ? '' : 'After'}</th>
            </tr>
          </thead>
          <tbody>
            {fields.map((field) => {
              const was = before?.[field.name] ?? null
              const is = after[field.name] ?? null
              return (
                <tr key={field.name} className={`border-rule border-t align-baseline ${kind === 'changed' && !same(was, is) ? 'bg-rope-wash' : ''}`}>
                  <th scope="row" className="py-1 pl-1 font-normal text-muted">
                    {field.label}
                  </th>
                  <td className="truncate pr-4">{before && (shownValue(field, was, titles, setting.organisation) || <span className="text-muted">blank</span>)}</td>
                  <td>
                    {kind !== 'deleted' && (
                      <ValueEditor
                        field={{ ...field, required: false }}
                        value={is}
                        title={titles[`${field.table} ${is}`]}
                        people={setting.people}
                        onSave={(value) => setAfter((old) => ({ ...old, [field.name]: value }))}
                      />
                    )}
                  </td>
                </tr>
              )
            })}
          </tbody>
        </table>
      </Page>
    </TablesProvider>
  )
}

const same = (a: Stored, b: Stored) => a === b || String(a ?? '') === String(b ?? '')

/** An image as a typed change takes it. */
function sendable(image: Image): Image {
  return Object.fromEntries(Object.entries(image).filter(([name]) => name !== 'created_at' && name !== 'updated_at'))
}
