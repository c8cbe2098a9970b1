'use client'

import { useRouter } from 'next/navigation'
import { useState } from 'react'
import { toast } from 'sonner'
import { faultOf } from '@/core/must'
import { type FieldDef, type Image, type Organisation, recordPath, type Stored, type TableDef, targetOf, titleOf } from '@/core/values/tables'
import { call } from '../api'
import { Starters } from '../grid/starters'
import { Button } from '../parts/button'
import { Confirm } from '../parts/confirm'
import Link from '../parts/link'
import { Title } from '../parts/page'
import type { Sent } from '../parts/sent'
import { useSent } from '../parts/use-sent'
import { holdRefresh } from './refresh'
import { TablesProvider } from './tables-context'
import { ValueEditor } from './value-editor'
import { mayEdit, type PersonChoice, shownValue } from './values'

interface Props {
  readonly table: TableDef
  readonly tables: Sent<readonly TableDef[]>
  readonly record: Image
  readonly titles: Readonly<Record<string, string>>
  readonly people: Sent<readonly PersonChoice[]>
  readonly organisation: Organisation
  readonly canDelete: boolean
  /** The address that a member’s own workflows write to; null for others. */
  readonly mine: string | null
}

/** A record's fields, each edited where it stands. */
export function RecordSheet({ table, record, titles, organisation, canDelete, mine, ...given }: Props) {
  const [tables, people] = [useSent(given.tables), useSent(given.people)]
  const router = useRouter()
  const [editing, setEditing] = useState<{ field: string; typed?: Stored } | null>(null)
  const end = (field: FieldDef) => {
    setEditing(null)
    requestAnimationFrame(() => document.querySelector<HTMLElement>(`[data-field="${CSS.escape(field.name)}"]`)?.focus())
  }
  const save = async (field: FieldDef, value: Stored) => {
    end(field)
    try {
      await call('PATCH', `/api/v1${recordPath(table.name, record.id)}`, { [field.name]: value })
      router.refresh()
    } catch (error) {
      toast.error(faultOf(error))
      setEditing({ field: field.name, typed: value }) // what was typed is there still, to be mended
    }
  }
  return (
    <TablesProvider tables={tables}>
      <p className="text-sm">
        <Link href={`/records/${table.name}`}>{table.label}</Link>
      </p>
      <Title
        actions={
          <>
            <Starters table={table} organisation={organisation} mine={mine} where={{ field: table.titleField, op: 'is', value: titleOf(table, record) }} />
            {canDelete && <DeleteRecord table={table} record={record} />}
          </>
        }
      >
        {titleOf(table, record)}
      </Title>
      <dl className="mt-3 mb-8 border-rule border-b">
        {table.fields.map((field) => (
          <div
            key={field.name}
            className={`grid min-h-9 grid-cols-[170px_minmax(0,1fr)] items-center gap-4 border-rule border-t ${editing?.field === field.name ? 'bg-rope-wash' : ''}`}
          >
            <dt className="text-muted">{field.label}</dt>
            <dd className="min-w-0 py-1">
              {editing?.field === field.name ? (
                <div className="max-w-md">
                  <ValueEditor
                    field={field}
                    value={record[field.name] ?? null}
                    title={shownValue(field, record[field.name], titles, organisation)}
                    people={people}
                    onSave={(v) => save(field, v)}
                    typed={editing.typed}
                    onCancel={() => end(field)}
                    autoFocus
                  />
                </div>
              ) : (
                <Value field={field} record={record} titles={titles} organisation={organisation} onEdit={mayEdit(table, field) ? () => setEditing({ field: field.name }) : null} />
              )}
            </dd>
          </div>
        ))}
      </dl>
    </TablesProvider>
  )
}

function Value({
  field,
  record,
  titles,
  organisation,
  onEdit,
}: {
  field: FieldDef
  record: Image
  titles: Readonly<Record<string, string>>
  organisation: Organisation
  onEdit: (() => void) | null
}) {
  const text = shownValue(field, record[field.name], titles, organisation)
  const target = targetOf(field)
  const isFile = field.type === 'file'
  return (
    <div className="group flex items-baseline gap-4">
      {onEdit ? (
        <button
          type="button"
          data-field={field.name}
          aria-label={`Edit ${field.label}, now ${text || 'blank'}`}
          onClick={onEdit}
          className={`min-w-0 flex-1 whitespace-pre-wrap break-words text-left font-serif text-lg leading-snug ${text ? '' : 'text-muted'}`}
        >
          {text || 'blank'}
        </button>
      ) : (
        <span data-field={field.name} className={`min-w-0 flex-1 whitespace-pre-wrap break-words font-serif text-lg leading-snug ${text ? '' : 'text-muted'}`}>
          {text || 'blank'}
        </span>
      )}
      {target && target !== 'person' && text && (
        <Link href={recordPath(target, record[field.name])} className="text-sm">
          Open
        </Link>
      )}
      {isFile && text && (
        <a href={`/api/v1/files/${record[field.name]}`} className="text-sm">
          Save
        </a>
      )}
      <span aria-hidden className="pr-2 text-muted text-xs opacity-0 group-hover:opacity-100">
        {onEdit ? 'edit' : 'read only'}
      </span>
    </div>
  )
}

function DeleteRecord({ table, record }: { table: TableDef; record: Image }) {
  const router = useRouter()
  const [asking, setAsking] = useState(false)
  const remove = async () => {
    holdRefresh()
    try {
      await call('DELETE', `/api/v1${recordPath(table.name, record.id)}`)
      router.push(`/records/${table.name}`)
    } catch (error) {
      toast.error(faultOf(error))
    }
  }
  return (
    <>
      <Button kind="alarm" onClick={() => setAsking(true)}>
        Delete
      </Button>
      <Confirm open={asking} setOpen={setAsking} title={`Delete ${titleOf(table, record)}?`} deed={`Delete the ${table.singular}`} leave="Keep it" kind="alarm" onDeed={remove}>
        Its changes stay in the log, and workflows that wait for deletions will see it. Links to it become blank.
      </Confirm>
    </>
  )
}
