'use client'

import Link from 'next/link'
import { useMemo, useState } from 'react'
import { readAnswers } from '@/core/cues/answers'
import { wantedBy } from '@/core/cues/kinds'
import { sampleAnswers } from '@/core/cues/samples'
import type { Example, ExampleOccasion, Saw, Workflow } from '@/core/document/document'
import type { FieldDef } from '@/core/values/tables'
import { briefOf } from '@/core/words/brief'
import { QuestionField } from '../by-hand/question-field'
import type { ShownPlan } from '../editor/evidence'
import { PlanTold } from '../editor/margin'
import { type EditorSetting, shownAt, wordingOf } from '../editor/setting'
import { pageOf } from '../editor/standing'
import { KeepExample } from '../examples/keep'
import { Choice } from '../parts/choice'
import { Labelled } from '../parts/labelled'
import { localInstant } from '../parts/local-instant'
import { MarginTitle, Page, Title } from '../parts/page'
import { useAsked } from '../parts/queries'
import { LinkPicker } from '../records/link-picker'
import { TablesProvider } from '../records/tables-context'

const AFTER_MS = 250

interface Props {
  readonly document: Workflow
  readonly savedAt: string
  readonly setting: EditorSetting
  /** The record that it begins with. */
  readonly record: { readonly id: number; readonly title: string } | null
  /** The example that it is a dry run of, if it is one. */
  readonly example: Example | null
}

type Answer = ShownPlan & { readonly at: string; readonly saw: Saw }

/** A dry run of what the clock sets off, or somebody by hand: a moment, a record, an owner or answers of one's choice, and in the margin what would come of it. Nothing is sent. */
export function OccasionDryRun({ document, savedAt, setting, record: begun, example }: Props) {
  const wording = useMemo(() => wordingOf(setting), [setting])
  const table = wording.schema.get(document.table)
  const kept = example?.occasion
  const [record, setRecord] = useState<number | null>(kept?.record ?? kept?.records?.[0] ?? begun?.id ?? null)
  const [moment, setMoment] = useState(kept?.at ?? example?.asOf ?? '')
  const [owner, setOwner] = useState(kept?.owner ?? setting.people.find((p) => p.active)?.email ?? '')
  const [asked, setAsked] = useState<Readonly<Record<string, unknown>>>(kept?.asked ?? {})
  const lines = useMemo(() => briefOf(document, wording), [document, wording])
  const byEmail = useMemo(() => new Map(setting.people.map((p) => [p.email.toLowerCase(), p.id])), [setting])
  const wanted = wantedBy(document)
  const { cue } = document
  const ask = cue.kind === 'by hand' ? (cue.ask ?? []) : []
  const read = readAnswers(ask, asked, byEmail)
  const faults = new Map('problems' in read ? read.problems.map((p) => [p.path, p.message]) : [])
  const samples = sampleAnswers(ask, new Date())
  const answers = Object.fromEntries(ask.map(({ name }) => [name, faults.has(`/asked/${name}`) ? samples[name] : asked[name]]))
  const occasion: ExampleOccasion =
    cue.kind === 'timetable'
      ? { kind: 'tick', ...(moment ? { at: moment } : {}), ...(wanted.includes('record') && record !== null ? { record } : {}), ...(wanted.includes('owner') ? { owner } : {}) }
      : { kind: 'press', records: record === null ? [] : [record], asked: answers }
  const isPast = moment !== '' && new Date(moment) < new Date()
  const { answer, fault, busy } = useAsked<Answer>('/api/v1/try', { workflow: document, occasion, ...(isPast ? { asOf: moment, saw: example?.saw } : {}) }, AFTER_MS)
  if (!table) return null
  const asLink: FieldDef = { name: 'record', label: 'Record', type: 'link', table: table.name }
  const shown = (path: string, value: unknown, of?: string) => shownAt(setting, of ? wording.schema.get(of) : table, path, value)
  const title = begun?.title ?? table.label
  return (
    <TablesProvider tables={setting.tables}>
      <Page
        margin={
          <section aria-label="What it would do" aria-busy={busy}>
            <MarginTitle note={isPast ? 'With records as they stood at that moment. Nothing is sent or written.' : 'With records as they are now. Nothing is sent or written.'}>
              What it would do
            </MarginTitle>
            {fault && <p role="alert">{fault}</p>}
            {answer && <PlanTold plan={answer} preview={null} lines={lines} line={undefined} shown={shown} />}
          </section>
        }
      >
        <p className="text-sm">
          <Link href={pageOf(document.name)}>{document.name}</Link>
        </p>
        <Title>{example ? `Example: ${example.name}` : 'Dry run'}</Title>
        <div className="mt-4 mb-5 grid max-w-2xl grid-cols-2 gap-x-8 gap-y-4">
          {(wanted.includes('record') || wanted.includes('records')) && (
            <Labelled label={`The ${table.singular.replaceAll('_', ' ')}`}>
              <LinkPicker field={asLink} value={record} title={record === begun?.id ? begun?.title : undefined} onPick={(id) => setRecord(id === null ? null : Number(id))} />
            </Labelled>
          )}
          {wanted.includes('owner') && (
            <Labelled label="For the owner">
              <Choice label="For the owner" value={owner || null} options={setting.people.map((p) => ({ value: p.email, label: p.name }))} onChange={setOwner} />
            </Labelled>
          )}
          {wanted.includes('moment') && (
            <Labelled label="At" note={moment ? undefined : 'Now.'}>
              <input
                aria-label="At"
                type="datetime-local"
                className="blank-line"
                value={localInstant(moment)}
                onChange={(e) => setMoment(e.target.value ? new Date(e.target.value).toISOString() : '')}
              />
            </Labelled>
          )}
        </div>
        <div className="grid max-w-2xl gap-4">
          {ask.map((question) => (
            <QuestionField
              key={question.name}
              question={question}
              value={asked[question.name]}
              people={setting.people}
              fault={asked[question.name] === undefined ? undefined : faults.get(`/asked/${question.name}`)}
              onAnswer={(value) => setAsked({ ...asked, [question.name]: value })}
            />
          ))}
        </div>
        {answer && (
          <KeepExample
            document={document}
            savedAt={savedAt}
            kept={example}
            suggested={`${title}: ${answer.fires ? 'it runs' : 'it does not run'}`}
            of={{ occasion }}
            asOf={example?.asOf ?? answer.at}
            answer={answer}
            schema={wording.schema}
            shown={shown}
          />
        )}
      </Page>
    </TablesProvider>
  )
}
