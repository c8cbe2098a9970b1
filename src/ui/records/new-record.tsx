'use client'

import { useRouter } from 'next/navigation'
import { useState } from 'react'
import { givesIds } from '@/core/values/parse'
import { everyTableFields, type Image, recordPath, type Stored, type TableDef } from '@/core/values/tables'
import { call, Refusal } from '../api'
import { Button, ButtonLink } from '../parts/button'
import { Labelled } from '../parts/labelled'
import { Title } from '../parts/page'
import type { Sent } from '../parts/sent'
import { useSent } from '../parts/use-sent'
import { useUnsaved } from '../shell/leaving'
import { TablesProvider } from './tables-context'
import { ValueEditor } from './value-editor'
import type { PersonChoice } from './values'

interface Props {
  readonly table: TableDef
  readonly tables: Sent<readonly TableDef[]>
  readonly people: Sent<readonly PersonChoice[]>
}

/** A new record: every field with its control, what is wrong beside the field it is about. */
export function NewRecord({ table, ...given }: Props) {
  const [tables, people] = [useSent(given.tables), useSent(given.people)]
  const router = useRouter()
  const [values, setValues] = useState<Record<string, Stored>>({})
  const [refusal, setRefusal] = useState<Refusal | null>(null)
  const [busy, setBusy] = useState(false)
  const fields = [...(givesIds(table) ? everyTableFields(table).filter((f) => f.name === 'id') : []), ...table.fields.filter((f) => !f.number && !f.readOnly)]
  useUnsaved(Object.keys(values).length > 0 && !busy, `the new ${table.singular}`)
  const create = async () => {
    setBusy(true)
    try {
      const record = await call<Image>('POST', `/api/v1/records/${table.name}`, values)
      router.push(recordPath(table.name, record.id))
    } catch (error) {
      setBusy(false)
      if (error instanceof Refusal) setRefusal(error)
    }
  }
  const faultOf = (name: string) => refusal?.problem.problems?.find((p) => p.path === `/${name}`)?.message
  return (
    <TablesProvider tables={tables}>
      <Title>New {table.singular}</Title>
      <form
        className="mt-4 max-w-[640px]"
        onSubmit={(event) => {
          event.preventDefault()
          void create()
        }}
      >
        {refusal && !refusal.problem.problems?.length && (
          <p role="alert" className="mb-3 border-alarm border-l-4 pl-3">
            {refusal.message}
          </p>
        )}
        <div className="grid grid-cols-2 gap-x-8 gap-y-4">
          {fields.map((field) => (
            <Labelled
              key={field.name}
              label={field.required ? `${field.label}, required` : field.label}
              fault={faultOf(field.name)}
              className={field.type === 'long text' ? 'col-span-2' : ''}
            >
              <ValueEditor field={field} value={values[field.name] ?? field.default ?? null} people={people} onSave={(v) => setValues((old) => ({ ...old, [field.name]: v }))} />
            </Labelled>
          ))}
        </div>
        <div className="mt-7 flex items-center gap-6">
          <Button kind="main" type="submit" disabled={busy}>
            Add the {table.singular}
          </Button>
          <ButtonLink href={`/records/${table.name}`}>Leave it</ButtonLink>
        </div>
      </form>
    </TablesProvider>
  )
}
