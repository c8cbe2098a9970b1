'use client'

import { useEffect, useMemo, useState } from 'react'
import { faultOf } from '@/core/must'
import { type FieldDef, type Organisation, PERSON_TABLE, type TableDef } from '@/core/values/tables'
import { type Starter, type StarterSetting, startersOf, valueStartersOf } from '@/core/words/starters'
import type { ShownPlan } from '@/core/workflow/shown'
import type { Proposal } from '@/engine/bulk/propose'
import { call } from '../api'
import { MarginTitle } from '../parts/page'

/** The alert that is made along with a table: its starter, and whether it goes to whoever makes it or to whom the record names. */
export interface FirstChoice {
  readonly key: string
  readonly tell: 'me' | 'named'
}

interface Props {
  readonly table: TableDef
  readonly organisation: Organisation
  /** The field of each of the file's columns; null where one is left out. */
  readonly columns: readonly (string | null)[]
  readonly proposal: Proposal
  readonly me: string | null
  readonly chosen: FirstChoice | null
  readonly onChoose: (choice: FirstChoice | null) => void
}

/** A starter with what the rows say of it, and the record before the change that it is tried with. */
interface Offer {
  readonly starter: Starter
  readonly count: string
  readonly before: Readonly<Record<string, unknown>> | null
  /** The place of the row that it is tried with among the first. */
  readonly row: number
}

const MOST_VALUES = 4

/** What could be told of a table to be: starters with what its rows say of each, and the mail of the chosen one for a row. */
export function FirstAlert({ table, organisation, columns, proposal, me, chosen, onChoose }: Props) {
  const named = [(f: FieldDef) => f.name === table.ownerField, (f: FieldDef) => f.type === 'person', (f: FieldDef) => f.type === 'email']
    .map((is) => table.fields.find(is))
    .find(Boolean)
  const tell = chosen?.tell ?? (named?.type === 'person' ? 'named' : 'me')
  const offers = useMemo(() => {
    const schema = new Map([PERSON_TABLE, table].map((t) => [t.name, t]))
    return offersOf(table, columns, proposal, { wording: { schema, organisation, names: new Map() }, mine: tell === 'me' ? me : null })
  }, [table, organisation, columns, proposal, tell, me])
  const offer = offers.find((o) => o.starter.key === chosen?.key) ?? null
  return (
    <section aria-label="First alert">
      <MarginTitle note="Choose what should send mail; it is made with the table, as a draft.">Tell somebody when …</MarginTitle>
      <ul className="border-rule border-b">
        {offers.map(({ starter, count }) => (
          <li key={starter.key} className="border-rule border-t">
            <label className="grid cursor-pointer grid-cols-[auto_minmax(0,1fr)_auto] items-baseline gap-2.5 py-1.5">
              <input
                type="radio"
                name="first alert"
                className="accent-spruce"
                checked={chosen?.key === starter.key}
                onChange={() => onChoose({ key: starter.key, tell })}
                aria-label={starter.words}
              />
              <span className="truncate" title={starter.words}>
                {starter.words}
              </span>
              <span className="text-muted text-sm">{count}</span>
            </label>
          </li>
        ))}
      </ul>
      {chosen && named && me && (
        <fieldset className="mt-3 flex gap-5 text-sm">
          <legend className="sr-only">Who is told</legend>
          {(['named', 'me'] as const).map((whom) => (
            <label key={whom} className="flex cursor-pointer items-baseline gap-1.5">
              <input type="radio" name="who is told" className="accent-spruce" checked={tell === whom} onChange={() => onChoose({ ...chosen, tell: whom })} />
              {whom === 'me' ? 'Tell me' : `Tell its ${named.label.toLowerCase()}`}
            </label>
          ))}
        </fieldset>
      )}
      {offer && <TrialMail table={table} columns={columns} proposal={proposal} offer={offer} />}
    </section>
  )
}

/** The mail that an alert would send for a row. */
function TrialMail({ table, columns, proposal, offer }: Pick<Props, 'table' | 'columns' | 'proposal'> & { offer: Offer }) {
  const [plan, setPlan] = useState<ShownPlan | null>(null)
  const [fault, setFault] = useState<string | null>(null)
  const asked = JSON.stringify({
    table,
    row: { columns, cells: proposal.first[offer.row] ?? [], ways: proposal.ways },
    workflow: offer.starter.workflow,
    before: offer.before,
  })
  useEffect(() => {
    const calling = new AbortController()
    const wait = setTimeout(() => {
      call<ShownPlan>('POST', '/api/v1/tables/propose/mail', JSON.parse(asked), calling.signal).then(
        (told) => {
          setPlan(told)
          setFault(null)
        },
        (error: unknown) => {
          if (!calling.signal.aborted) setFault(faultOf(error))
        },
      )
    }, 150)
    return () => {
      clearTimeout(wait)
      calling.abort()
    }
  }, [asked])
  const [mail] = plan?.messages ?? []
  return (
    <div className="mt-5">
      <MarginTitle note="For one of the rows; nothing is sent.">The mail</MarginTitle>
      {fault && <p role="alert">{fault}</p>}
      {!fault && plan && !mail && <p className="text-muted">{plan.notes[0]?.message ?? plan.why}</p>}
      {!fault && mail && (
        <article className="border-rule border-t pt-2">
          <p className="text-muted text-sm">To {mail.to.join(', ')}</p>
          <h3 className="font-serif text-lg">{mail.subject}</h3>
          <p className="whitespace-pre-wrap break-words font-serif">{mail.text}</p>
        </article>
      )}
    </div>
  )
}

const TRUE = /^(yes|y|true|ja|oui|s[ií])$/i

/** The starters that fit a table to be, the values that are there most first. */
function offersOf(table: TableDef, columns: readonly (string | null)[], proposal: Proposal, setting: StarterSetting): Offer[] {
  const { rows, first } = proposal
  const at = (field: string) => columns.indexOf(field)
  const timesOf = (field: string, value: string | boolean) =>
    (proposal.columns[at(field)]?.values ?? [])
      .filter(([text]) => (typeof value === 'boolean' ? TRUE.test(text) === value : text === value))
      .reduce((sum, [, times]) => sum + times, 0)
  const rowWith = (field: string, value: string | boolean) =>
    Math.max(
      0,
      first.findIndex((cells) => (typeof value === 'boolean' ? TRUE.test(cells[at(field)] ?? '') === value : cells[at(field)] === value)),
    )
  const values = valueStartersOf(table, setting)
    .map((starter) => ({ starter, times: timesOf(starter.field, starter.value) }))
    .filter(({ times }) => times > 0)
  const perField = new Map<string, number>()
  const becoming = values
    .filter(({ starter }) => {
      const n = (perField.get(starter.field) ?? 0) + 1
      perField.set(starter.field, n)
      return n <= MOST_VALUES
    })
    .map(({ starter, times }): Offer => {
      const other = typeof starter.value === 'boolean' ? !starter.value : (table.fields.find((f) => f.name === starter.field)?.choices?.find((c) => c !== starter.value) ?? null)
      return {
        starter,
        count: `${times.toLocaleString('en-GB')} of ${rows.toLocaleString('en-GB')} now`,
        before: { [starter.field]: other },
        row: rowWith(starter.field, starter.value),
      }
    })
  const all = startersOf(table, setting)
  const named = (key: string, count: string, before: Offer['before']): Offer[] => all.filter((s) => s.key === key).map((starter) => ({ starter, count, before, row: 0 }))
  const owner = table.fields.find((f) => f.name === table.ownerField)
  return [
    ...named('added', 'each new one', null),
    ...becoming,
    ...(owner ? named(`handed over ${owner.name}`, `${proposal.columns[at(owner.name)]?.values.length ?? 0} different now`, { [owner.name]: null }) : []),
    ...named('changed', 'each change', table.fields[1] ? { [table.fields[1].name]: null } : null),
  ]
}
