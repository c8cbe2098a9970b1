'use client'

import { useForm } from 'react-hook-form'
import type { TableDef } from '@/core/values/tables'
import { Button } from '../parts/button'
import { Labelled } from '../parts/labelled'

interface Given {
  label: string
  singular: string
  titleField: string
  ownerField: string
}

/** What a table and its records are called, and which fields name and own a record. */
export function TableNames({ table, onSave }: { table: TableDef; onSave: (table: TableDef) => void }) {
  const { label, singular, titleField, ownerField } = table
  const { register, handleSubmit, formState } = useForm<Given>({ defaultValues: { label, singular: singular.replaceAll('_', ' '), titleField, ownerField: ownerField ?? '' } })
  const save = handleSubmit(({ ownerField: owner, ...given }) => {
    const { ownerField: _, ...rest } = table
    onSave({
      ...rest,
      ...given,
      singular: given.singular
        .trim()
        .toLowerCase()
        .replaceAll(/[^a-z0-9]+/g, '_'),
      ...(owner ? { ownerField: owner } : {}),
    })
  })
  const people = table.fields.filter((f) => f.type === 'person')
  return (
    <form aria-label="The table" onSubmit={save} className="mt-3 grid max-w-3xl grid-cols-2 items-end gap-x-6 gap-y-3 sm:grid-cols-[1fr_1fr_1fr_1fr_auto]">
      <Labelled label="The table is called">
        <input aria-label="The table is called" className="blank-line" {...register('label', { required: true })} />
      </Labelled>
      <Labelled label="A record is a">
        <input aria-label="A record is a" className="blank-line" {...register('singular', { required: true })} />
      </Labelled>
      <Labelled label="A record is named by">
        <select aria-label="A record is named by" className="blank-line" {...register('titleField')}>
          {table.fields.map((f) => (
            <option key={f.name} value={f.name}>
              {f.label}
            </option>
          ))}
        </select>
      </Labelled>
      <Labelled label="Its owner is">
        <select aria-label="Its owner is" className="blank-line" {...register('ownerField')}>
          <option value="">nobody</option>
          {people.map((f) => (
            <option key={f.name} value={f.name}>
              {f.label}
            </option>
          ))}
        </select>
      </Labelled>
      <Button type="submit" disabled={!formState.isDirty}>
        Keep these
      </Button>
    </form>
  )
}
