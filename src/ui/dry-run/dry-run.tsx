'use client'

import Link from 'next/link'
import { useRouter } from 'next/navigation'
import { useMemo, useState } from 'react'
import type { ChangeKind } from '@/core/changes/change'
import type { Example, Saw, Workflow } from '@/core/document/document'
import { type FieldDef, type Image, titleOf } from '@/core/values/tables'
import { briefOf } from '@/core/words/brief'
import type { ShownPlan } from '../editor/evidence'
import { PlanTold } from '../editor/margin'
import { type EditorSetting, shownAt, wordingOf } from '../editor/setting'
import { pageOf } from '../editor/standing'
import { KeepExample } from '../examples/keep'
import { Choice } from '../parts/choice'
import { Labelled } from '../parts/labelled'
import { MarginTitle, Page, Title } from '../parts/page'
import { useAsked } from '../parts/queries'
import { Time } from '../parts/time'
import { LinkPicker } from '../records/link-picker'
import { TablesProvider } from '../records/tables-context'
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

const AFTER_MS = 250

interface Props {
  readonly name: string
  readonly document: Workflow
  readonly savedAt: string
  readonly setting: EditorSetting
  readonly begun: Begun
  readonly titles: Readonly<Record<string, string>>
  /** The example that it is a dry run of, if it is one. */
  readonly example: Example | null
  /** The e-mail of whoever makes the typed change. */
  readonly me: string | null
}

type Answer = ShownPlan & { readonly at: string; readonly saw: Saw }

/** A dry run: a record before and after, to be typed into, and in the margin what the draft would do about it. Nothing is sent. It can be kept as an example. */
export function DryRun({ name, document, savedAt, setting, begun, titles, example, me }: Props) {
  const router = useRouter()
  const wording = useMemo(() => wordingOf(setting), [setting])
  const table = wording.schema.get(document.table)
  const [kind, setKind] = useState(begun.kind)
  const [after, setAfter] = useState<Image>(begun.after ?? begun.before ?? {})
  const [frozen, setFrozen] = useState(example?.asOf ? { asOf: example.asOf, saw: example.saw } : null)
  const before = kind === 'created' ? null : (begun.before ?? begun.after ?? {})
  const lines = useMemo(() => briefOf(document, wording), [document, wording])
  const by = example?.change?.by ?? me
  const change = { kind, ...(before ? { before: sendable(before) } : {}), ...(kind === 'deleted' ? {} : { after: sendable(after) }), ...(by ? { by } : {}) }
  const { answer, fault, busy } = useAsked<Answer>('/api/v1/try', { workflow: document, change, ...frozen }, AFTER_MS)
  if (!table) return null
  const asLink: FieldDef = { name: 'record', label: 'Record', type: 'link', table: table.name }
  const record = Number((begun.after ?? begun.before)?.id) || null
  const shown = (path: string, value: unknown, of?: string) => shownAt(setting, of ? wording.schema.get(of) : table, path, value)
  const title = titleOf(table, begun.after ?? begun.before ?? {})
  return (
    <TablesProvider tables={setting.tables}>
      <Page
        margin={
          <section aria-label="What it would do" aria-busy={busy}>
            <MarginTitle note={frozen ? <AsItStood at={frozen.asOf} onNow={() => setFrozen(null)} /> : 'With linked data as it is now. Nothing is sent or written.'}>
              What it would do
            </MarginTitle>
            {fault && <p role="alert">{fault}</p>}
            {answer && <PlanTold plan={answer} preview={null} lines={lines} line={undefined} shown={shown} />}
          </section>
        }
      >
        <p className="text-sm">
          <Link href={pageOf(name)}>{name}</Link>
        </p>
        <Title>{example ? `Example: ${example.name}` : 'Dry run'}</Title>
        <p className="text-muted">Begun from {begun.said}. Type what is to be otherwise.</p>
        <div className="mt-4 mb-5 grid max-w-2xl grid-cols-2 gap-8">
          <Labelled label={`The ${table.singular.replaceAll('_', ' ')}`}>
            <Choice label="What happens" value={kind} options={KINDS} onChange={setKind} />
          </Labelled>
          <Labelled label="Begin from another">
            <LinkPicker field={asLink} value={record} title={record === null ? '' : title} onPick={(id) => id !== null && router.push(`${pageOf(name)}/dry-run?record=${id}`)} />
          </Labelled>
        </div>
        <TypedFields table={table} kind={kind} before={before} after={after} titles={titles} setting={setting} onType={setAfter} />
        {answer && (
          <KeepExample
            document={document}
            savedAt={savedAt}
            kept={example}
            suggested={`${title || `A new ${table.singular.replaceAll('_', ' ')}`}: ${answer.fires ? 'it fires' : 'it does not fire'}`}
            of={{ change }}
            asOf={frozen?.asOf ?? answer.at}
            answer={answer}
            schema={wording.schema}
            shown={shown}
          />
        )}
      </Page>
    </TablesProvider>
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
