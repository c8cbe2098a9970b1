'use client'

import { Controller, useForm } from 'react-hook-form'
import type { TableDef } from '@/core/values/tables'
import { Button } from '../parts/button'
import { Choice } from '../parts/choice'
import { Labelled } from '../parts/labelled'

/** What the list of owners has where there is none; no field is called so. */
const NOBODY = '\u0000'

interface Given {
  label: string
  singular: string
  titleField: string
  ownerField: string
}

/** What a table and its records are called, and which fields name and own a record. */
export function TableNames({ table, onSave }: { table: TableDef; onSave: (table: TableDef) => void }) {
  const { label, singular, titleField, ownerField } = table
  const { register, handleSubmit, control, formState } = useForm<Given>({
    defaultValues: { label, singular: singular.replaceAll('_', ' '), titleField, ownerField: ownerField ?? '' },
  })
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
        <Controller
          control={control}
          name="titleField"
          render={({ field }) => (
            <Choice label="A record is named by" value={field.value} options={table.fields.map((f) => ({ value: f.name, label: f.label }))} onChange={field.onChange} />
          )}
        />
      </Labelled>
      <Labelled label="Its owner is">
        <Controller
          control={control}
          name="ownerField"
          render={({ field }) => (
            <Choice
              label="Its owner is"
              value={field.value || NOBODY}
              options={[{ value: NOBODY, label: 'nobody' }, ...people.map((f) => ({ value: f.name, label: f.label }))]}
              onChange={(name) => field.onChange(name === NOBODY ? '' : name)}
            />
          )}
        />
      </Labelled>
      <Button type="submit" disabled={!formState.isDirty}>
        Keep these
      </Button>
    </form>
  )
}
