'use client'

import { useQueryClient } from '@tanstack/react-query'
import { useRouter } from 'next/navigation'
import { Dialog } from 'radix-ui'
import { useState } from 'react'
import { toast } from 'sonner'
import type { Condition } from '@/core/document/condition'
import { faultOf, must } from '@/core/must'
import type { RecordId, Stored, TableDef } from '@/core/values/tables'
import type { ToldForecast } from '@/engine/answers/bulk'
import { call } from '../api'
import { Button } from '../parts/button'
import { Choice } from '../parts/choice'
import { Labelled } from '../parts/labelled'
import { useAsked } from '../parts/queries'
import { TwoSides } from '../parts/two-sides'
import { ValueEditor } from '../records/value-editor'
import type { PersonChoice } from '../records/values'
import { ForecastView } from './forecast-view'
import { Quietly } from './quietly'
import { deedWords, records } from './words'

/** Which records are meant: those chosen, or all that the filter finds. */
export type Meant = { readonly ids: readonly RecordId[] } | { readonly where: Condition }

interface Props {
  readonly kind: 'edit' | 'delete'
  readonly table: TableDef
  readonly meant: Meant
  /** How many that are. */
  readonly count: number
  readonly people: readonly PersonChoice[]
  readonly isAdministrator: boolean
  readonly onClose: () => void
  readonly onDone: () => void
}

const AFTER_MS = 200

/** Fields that are to be set, with their values; undefined: not said yet. */
type Fields = Readonly<Record<string, Stored | undefined>>

/** Changes or deletes many records as one: what is written at the left, what it sets off at the right, and one button that says the numbers. */
export function ManySheet({ kind, table, meant, count, people, isAdministrator, onClose, onDone }: Props) {
  const client = useQueryClient()
  const router = useRouter()
  const [fields, setFields] = useState<Fields>({})
  const [quiet, setQuiet] = useState(false)
  const [busy, setBusy] = useState(false)
  const set = Object.fromEntries(Object.entries(fields).filter(([, value]) => value !== undefined))
  const isSaid = kind === 'delete' || Object.keys(set).length > 0
  const path = `/api/v1/records/${table.name}`
  const deed = kind === 'delete' ? { delete: true } : { set }
  const { answer, fault, busy: asking } = useAsked<ToldForecast>(`${path}/forecast`, isSaid ? { ...meant, ...deed } : null, AFTER_MS)
  const forecast = isSaid ? answer : null
  const changes = forecast ? forecast.changed + forecast.deleted : 0
  const go = async () => {
    setBusy(true)
    try {
      const { bulk } = await call<{ bulk: number }>(kind === 'delete' ? 'DELETE' : 'PATCH', path, { ...meant, ...(kind === 'delete' ? {} : { set }), ...(quiet ? { quiet } : {}) })
      toast(kind === 'delete' ? `${records(changes, table)} deleted.` : `${records(changes, table)} changed.`, {
        action: { label: 'See what came of it', onClick: () => router.push(`/bulk/${bulk}`) },
      })
      void client.invalidateQueries({ queryKey: ['rows'] })
      onDone()
      onClose()
    } catch (error) {
      toast.error(`${faultOf(error)} Nothing was written.`)
    } finally {
      setBusy(false)
    }
  }
  return (
    <TwoSides onClose={onClose} className="min-h-[60vh]">
      <form
        className="flex flex-col overflow-y-auto px-7 py-6"
        onSubmit={(event) => {
          event.preventDefault()
          if (changes > 0 && !asking) void go()
        }}
      >
        <Dialog.Title className="font-serif text-2xl leading-tight">
          {kind === 'delete' ? 'Delete' : 'Change'} {records(count, table)}
        </Dialog.Title>
        <p className="mb-5 text-muted">{'ids' in meant ? 'Those that are chosen' : 'All that the filter finds'}, as one: all of them or, where one is refused, none.</p>
        {kind === 'edit' && <FieldsToSet table={table} fields={fields} onFields={setFields} people={people} />}
        {forecast && forecast.unchanged > 0 && <p className="mt-3 text-muted text-sm">{records(forecast.unchanged, table)} have that already.</p>}
        {kind === 'delete' && <p>Deleted records are in the log; they do not come back by themselves.</p>}
        {isAdministrator && <Quietly quiet={quiet} onQuiet={setQuiet} />}
        <div className="mt-6 flex items-center gap-5">
          <Button kind={kind === 'delete' ? 'alarm' : 'main'} type="submit" disabled={busy || asking || changes === 0}>
            {busy ? 'Writing …' : deedWords(kind, forecast, table, quiet)}
          </Button>
          <Button onClick={onClose}>Not now</Button>
        </div>
      </form>
      <ForecastView forecast={forecast} fault={isSaid ? fault : null} busy={isSaid && asking} table={table} quiet={quiet} />
    </TwoSides>
  )
}

/** The fields that are set, each with its value, and one more to choose. */
function FieldsToSet({ table, fields, onFields, people }: { table: TableDef; fields: Fields; onFields: (fields: Fields) => void; people: readonly PersonChoice[] }) {
  const names = Object.keys(fields)
  const free = table.fields.filter((f) => !names.includes(f.name) && f.type !== 'file')
  return (
    <div className="grid gap-4">
      {names.map((name) => {
        const field = must(table.fields.find((f) => f.name === name))
        return (
          <div key={name} className="flex items-end gap-3">
            <Labelled label={field.label} className="flex-1">
              <ValueEditor field={field} value={fields[name] ?? null} people={people} onSave={(value) => onFields({ ...fields, [name]: value })} />
            </Labelled>
            <Button aria-label={`Leave ${field.label} as it is`} onClick={() => onFields(Object.fromEntries(Object.entries(fields).filter(([other]) => other !== name)))}>
              ×
            </Button>
          </div>
        )
      })}
      <Choice
        label="Field to set"
        value={null}
        placeholder={names.length ? 'Set another field …' : 'Set a field …'}
        options={free.map((f) => ({ value: f.name, label: f.label }))}
        onChange={(name) => onFields({ ...fields, [name]: undefined })}
      />
    </div>
  )
}
