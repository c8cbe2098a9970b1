'use client'

import { useForm } from 'react-hook-form'
import { call } from '../api'
import { Button } from '../parts/button'
import { useDeed } from '../parts/deed'
import { Labelled } from '../parts/labelled'
import { Section } from './section'

/** How long changes are kept. */
export function ChangeLogSettings({ keepMonths }: { keepMonths: number }) {
  const { register, handleSubmit, formState } = useForm<{ months: string }>({ values: { months: String(keepMonths) } })
  const { busy, act } = useDeed()
  const save = handleSubmit(({ months }) => act(() => call('PUT', '/api/v1/settings', { keepMonths: Number(months) }), 'Saved. Months that are over it are dropped tonight.'))
  return (
    <Section
      title="The change log"
      note="Rehearsals, and why a change fired or did not, look back as far as it goes. Months are dropped whole; what still waits, or is still to be handled, keeps its month."
    >
      <form onSubmit={save} className="grid grid-cols-1 items-end gap-x-8 gap-y-4 sm:grid-cols-[1fr_auto_1fr]">
        <Labelled label="Changes are kept for months">
          <input aria-label="Changes are kept for months" type="number" min="3" max="240" step="1" className="blank-line" {...register('months', { required: true })} />
        </Labelled>
        <Button type="submit" disabled={busy || !formState.isDirty}>
          Keep them so long
        </Button>
      </form>
    </Section>
  )
}
