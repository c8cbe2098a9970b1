'use client'

import { useRouter } from 'next/navigation'
import { useState } from 'react'
import type { ChangeKind } from '@/core/changes/change'
import type { Example, Workflow } from '@/core/document/document'
import { type FieldDef, type Image, idFrom, titleOf } from '@/core/values/tables'
import { type EditorSetting, wordingOf } from '../editor/setting'
import { pageOf } from '../editor/standing'
import { Choice } from '../parts/choice'
import { Labelled } from '../parts/labelled'
import type { Sent } from '../parts/sent'
import { Time } from '../parts/time'
import { useSent } from '../parts/use-sent'
import { LinkPicker } from '../records/link-picker'
import { DryRunPage } from './dry-run-page'
import { TypedFields } from './typed-fields'

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

interface Props {
  readonly name: string
  readonly document: Workflow
  readonly savedAt: string
  readonly setting: Sent<EditorSetting>
  readonly begun: Begun
  readonly titles: Readonly<Record<string, string>>
  /** The example that it is a dry run of, if it is one. */
  readonly example: Example | null
  /** The e-mail of whoever makes the typed change. */
  readonly me: string | null
}

/** A dry run: a record before and after, to be typed into, and in the margin what the draft would do about it. Nothing is sent. It can be kept as an example. */
export function DryRun({ name, document, savedAt, setting: sent, begun, titles, example, me }: Props) {
  const setting = useSent(sent)
  const router = useRouter()
  const wording = wordingOf(setting)
  const table = wording.schema.get(document.table)
  const [kind, setKind] = useState(begun.kind)
  const [after, setAfter] = useState<Image>(begun.after ?? begun.before ?? {})
  const [frozen, setFrozen] = useState(example?.asOf ? { asOf: example.asOf, saw: example.saw } : null)
  const before = kind === 'created' ? null : (begun.before ?? begun.after ?? {})
  const by = example?.change?.by ?? me
  const change = { kind, ...(before ? { before: sendable(before) } : {}), ...(kind === 'deleted' ? {} : { after: sendable(after) }), ...(by ? { by } : {}) }
  if (!table) return null
  const asLink: FieldDef = { name: 'record', label: 'Record', type: 'link', table: table.name }
  const record = idFrom((begun.after ?? begun.before)?.id)
  const title = titleOf(table, begun.after ?? begun.before ?? {})
  return (
    <DryRunPage
      name={name}
      document={document}
      savedAt={savedAt}
      setting={setting}
      example={example}
      tried={{ change }}
      frozen={frozen}
      note={frozen ? <AsItStood at={frozen.asOf} onNow={() => setFrozen(null)} /> : 'With linked data as it is now. Nothing is sent or written.'}
      suggested={(fires) => `${title || `A new ${table.singular.replaceAll('_', ' ')}`}: ${fires ? 'it fires' : 'it does not fire'}`}
      keptAt={frozen?.asOf}
    >
      <p className="text-muted">Begun from {begun.said}. Type what is to be otherwise.</p>
      <div className="mt-4 mb-5 grid max-w-2xl grid-cols-2 gap-8">
        <Labelled label={`The ${table.singular.replaceAll('_', ' ')}`}>
          <Choice label="What happens" value={kind} options={KINDS} onChange={setKind} />
        </Labelled>
        <Labelled label="Begin from another">
          <LinkPicker
            field={asLink}
            value={record}
            title={record === null ? '' : title}
            onPick={(id) => id !== null && router.push(`${pageOf(name)}/dry-run?record=${encodeURIComponent(id)}`)}
          />
        </Labelled>
      </div>
      <TypedFields table={table} kind={kind} before={before} after={after} titles={titles} setting={setting} onType={setAfter} />
    </DryRunPage>
  )
}

/** Says that linked data is that of an example's moment, and offers that of now. */
export function AsItStood({ at, onNow }: { at: string; onNow: () => void }) {
  return (
    <>
      With linked data as it stood when it was kept, <Time at={at} />. Nothing is sent or written.{' '}
      <button type="button" className="text-spruce hover:underline" onClick={onNow}>
        Look with data as it is now
      </button>
    </>
  )
}

/** An image as a typed change takes it. */
function sendable(image: Image): Image {
  return Object.fromEntries(Object.entries(image).filter(([name]) => name !== 'created_at' && name !== 'updated_at'))
}
