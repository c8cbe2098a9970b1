'use client'

import { useQuery } from '@tanstack/react-query'
import { useMemo, useState } from 'react'
import { readAnswers } from '@/core/cues/answers'
import { wantedBy } from '@/core/cues/kinds'
import { shownAnswers } from '@/core/cues/samples'
import type { Example, ExampleOccasion, Workflow } from '@/core/document/document'
import { figureOf, type KnownFigure } from '@/core/figures/of-table'
import { type FieldDef, idFrom, type RecordId, type Stored } from '@/core/values/tables'
import { call } from '../api'
import { QuestionField } from '../by-hand/question-field'
import { type EditorSetting, wordingOf } from '../editor/setting'
import { NumberField } from '../figures/number-field'
import { Choice } from '../parts/choice'
import { DateField } from '../parts/date-field'
import { Labelled } from '../parts/labelled'
import type { Sent } from '../parts/sent'
import { useSent } from '../parts/use-sent'
import { LinkPicker } from '../records/link-picker'
import { DryRunPage } from './dry-run-page'

interface Props {
  readonly document: Workflow
  readonly savedAt: string
  readonly setting: Sent<EditorSetting>
  /** The record that it begins with. */
  readonly record: { readonly id: RecordId; readonly title: string } | null
  /** The example that it is a dry run of, if it is one. */
  readonly example: Example | null
}

/** A dry run of what the clock sets off, or somebody by hand: a moment, a record, an owner or answers of one's choice, and in the margin what would come of it. Nothing is sent. */
export function OccasionDryRun({ document, savedAt, setting: sent, record: begun, example }: Props) {
  const setting = useSent(sent)
  const wording = wordingOf(setting)
  const table = wording.schema.get(document.table)
  const kept = example?.occasion
  const [record, setRecord] = useState<RecordId | null>(kept?.record ?? kept?.records?.[0] ?? begun?.id ?? null)
  const [moment, setMoment] = useState(kept?.at ?? example?.asOf ?? '')
  const [owner, setOwner] = useState(kept?.owner ?? setting.people.find((p) => p.active)?.email ?? '')
  const [asked, setAsked] = useState<Readonly<Record<string, unknown>>>(kept?.asked ?? {})
  const byEmail = useMemo(() => new Map(setting.people.map((p) => [p.email.toLowerCase(), p.id])), [setting])
  const wanted = wantedBy(document)
  const { cue } = document
  const ask = cue.kind === 'by hand' ? (cue.ask ?? []) : []
  const read = readAnswers(ask, asked, byEmail)
  const faults = new Map('problems' in read ? read.problems.map((p) => [p.path, p.message]) : [])
  const figure = figureOf(table, cue.kind === 'figure' ? cue.figure : 'over' in cue ? (cue.over?.figure ?? '') : '')
  const groups = useGroups(figure?.name ?? null)
  const [group, setGroup] = useState<Stored | undefined>(kept?.group ?? kept?.groups?.[0])
  const ofGroup = group ?? groups[0]?.group ?? null
  const between = figure && cue.kind === 'figure' ? beginningOf(figure, cue.threshold) : { before: 0, value: 1 }
  const [value, setValue] = useState(kept?.value ?? between.value)
  const [before, setBefore] = useState<number | null>(kept?.kind === 'crossing' ? (kept.before ?? null) : between.before)
  const occasion = ((): ExampleOccasion => {
    const at = moment ? { at: moment } : {}
    if (cue.kind === 'figure') return { kind: 'crossing', ...at, ...(figure?.grouping ? { group: ofGroup } : {}), before, value }
    if (cue.kind === 'timetable')
      return {
        kind: 'tick',
        ...at,
        ...(wanted.includes('record') && record !== null ? { record } : {}),
        ...(wanted.includes('owner') ? { owner } : {}),
        ...(wanted.includes('group') ? { group: ofGroup } : {}),
      }
    if (wanted.includes('group')) return { kind: 'press', groups: [ofGroup], asked: shownAnswers(ask, asked, faults) }
    return { kind: 'press', records: record === null ? [] : [record], asked: shownAnswers(ask, asked, faults) }
  })()
  const isPast = moment !== '' && new Date(moment) < new Date()
  if (!table) return null
  const asLink: FieldDef = { name: 'record', label: 'Record', type: 'link', table: table.name }
  const title = begun?.title ?? table.label
  return (
    <DryRunPage
      name={document.name}
      document={document}
      savedAt={savedAt}
      setting={setting}
      example={example}
      tried={{ occasion }}
      frozen={isPast ? { asOf: moment, saw: example?.saw } : null}
      note={isPast ? 'With records as they stood at that moment. Nothing is sent or written.' : 'With records as they are now. Nothing is sent or written.'}
      suggested={(fires) => `${title}: ${fires ? 'it runs' : 'it does not run'}`}
      keptAt={example?.asOf}
    >
      <div className="mt-4 mb-5 grid max-w-2xl grid-cols-2 gap-x-8 gap-y-4">
        {(wanted.includes('record') || wanted.includes('records')) && (
          <Labelled label={`The ${table.singular.replaceAll('_', ' ')}`}>
            <LinkPicker field={asLink} value={record} title={record === begun?.id ? begun?.title : undefined} onPick={(id) => setRecord(idFrom(id))} />
          </Labelled>
        )}
        {wanted.includes('owner') && (
          <Labelled label="For the owner">
            <Choice label="For the owner" value={owner || null} options={setting.people.map((p) => ({ value: p.email, label: p.name }))} onChange={setOwner} />
          </Labelled>
        )}
        {wanted.includes('group') && figure?.grouping && (
          <Labelled label={`The ${figure.grouping.field.label.toLowerCase()}`} note={cue.kind === 'figure' ? undefined : 'As it stands now.'}>
            <Choice
              label={`The ${figure.grouping.field.label.toLowerCase()}`}
              value={JSON.stringify(ofGroup)}
              options={groups.map((g) => ({ value: JSON.stringify(g.group), label: g.title || 'blank', note: g.value === null ? 'blank' : String(g.value) }))}
              onChange={(next) => setGroup(JSON.parse(next))}
            />
          </Labelled>
        )}
        {wanted.includes('value') && (
          <>
            <Labelled label="From" note={before === null ? 'Blank.' : undefined}>
              <NumberField label="From" value={before} onChange={setBefore} />
            </Labelled>
            <Labelled label="To">
              <NumberField label="To" value={value} onChange={(next) => next !== null && setValue(next)} />
            </Labelled>
          </>
        )}
        {wanted.includes('moment') && (
          <Labelled label="At" note={moment ? undefined : 'Now.'}>
            <DateField label="At" value={moment} onChange={setMoment} clock />
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
    </DryRunPage>
  )
}

interface GroupAnswer {
  readonly group: Stored
  readonly title: string
  readonly value: number | string | null
}

/** The groups of a figure as they stand. */
function useGroups(figure: string | null): readonly GroupAnswer[] {
  const { data } = useQuery({
    queryKey: ['figure groups', figure],
    queryFn: async () => (await call<{ groups: readonly GroupAnswer[] }>('GET', `/api/v1/figures/${encodeURIComponent(figure ?? '')}`)).groups,
    enabled: figure !== null,
  })
  return data ?? []
}

/** Values on either side of a threshold, to begin with. */
function beginningOf({ definition }: KnownFigure, name: string): { before: number; value: number } {
  const threshold = definition.thresholds?.find((t) => t.name === name)
  const line = typeof threshold?.value === 'number' ? threshold.value : 0
  switch (threshold?.when) {
    case 'at least':
      return { before: line - 1, value: line }
    case 'below':
      return { before: line, value: line - 1 }
    case 'at most':
      return { before: line + 1, value: line }
    default:
      return { before: line, value: line + 1 }
  }
}
