'use client'

import { useState } from 'react'
import { toast } from 'sonner'
import { faultOf } from '@/core/must'
import { type FieldDef, type Image, type RecordId, recordPath, type Stored, type TableDef } from '@/core/values/tables'
import { call, change, Refusal } from '../api'
import type { PersonChoice } from '../records/values'
import type { Rows } from './rows'

/** An edit that can be taken back: what the field held before, and the record's tag after. */
interface Undoable {
  readonly record: RecordId
  readonly field: FieldDef
  readonly before: Stored
  readonly etag: string
}

/** Edits of single cells, each written at once; the last can be taken back where nobody has changed the record since. */
export function useEdits(table: TableDef, rows: Rows, people: readonly PersonChoice[]) {
  const [last, setLast] = useState<Undoable | null>(null)
  const write = async (record: RecordId, field: FieldDef, value: Stored, ifMatch?: string) => {
    const { answer: image, etag } = await change<Image>(`/api/v1${recordPath(table.name, record)}`, { [field.name]: value }, ifMatch)
    rows.replace(image, await titleFor(field, image, people, rows.titles))
    return etag
  }
  /** Writes a value; whether it was taken. */
  const save = async (record: RecordId, field: FieldDef, value: Stored, before: Stored): Promise<boolean> => {
    try {
      const etag = await write(record, field, value)
      setLast(etag ? { record, field, before, etag } : null)
      return true
    } catch (error) {
      toast.error(faultOf(error))
      return false
    }
  }
  const undo = async () => {
    if (!last) return toast('There is no edit of yours to take back.')
    setLast(null)
    try {
      await write(last.record, last.field, last.before, last.etag)
      toast.success(`${last.field.label} is as it was before.`)
    } catch (error) {
      toast.error(error instanceof Refusal && error.problem.status === 412 ? 'Somebody has changed the record since: your edit stays.' : faultOf(error))
    }
  }
  return { save, undo }
}

/** The title of what a link or person field now points at, so that the cell can show it at once. */
async function titleFor(field: FieldDef, image: Image, people: readonly PersonChoice[], known: Readonly<Record<string, string>>): Promise<Record<string, string>> {
  const id = image[field.name]
  if (id === null || id === undefined) return {}
  if (field.type === 'person') return { [`person ${id}`]: people.find((p) => p.id === id)?.name ?? String(id) }
  if (field.type !== 'link' || known[`${field.table} ${id}`]) return {}
  const { titles } = await call<{ titles: Record<string, string> }>(
    'GET',
    `/api/v1/records/${field.table}?limit=1&titles&where=${encodeURIComponent(JSON.stringify({ field: 'id', op: 'is', value: id }))}`,
  )
  return titles
}
