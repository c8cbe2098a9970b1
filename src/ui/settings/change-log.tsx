'use client'

import { useForm } from 'react-hook-form'
import { call } from '../api'
import { Button } from '../parts/button'
import { useDeed } from '../parts/deed'
import { Labelled } from '../parts/labelled'
import { Section } from './section'

interface Kept {
  readonly keepMonths: number
  readonly keepRunMonths: number
  readonly keepTextMonths: number
}

const FIELDS = [
  { name: 'keepMonths', label: 'Changes are kept for months', least: 3 },
  { name: 'keepRunMonths', label: 'Runs and mail are kept for months', least: 1 },
  { name: 'keepTextMonths', label: 'Texts of mail are kept for months', least: 1 },
] as const

/** How long changes, runs and texts are kept. */
export function ChangeLogSettings({ keepMonths, keepRunMonths, keepTextMonths }: Kept) {
  const { register, handleSubmit, formState } = useForm<Record<keyof Kept, string>>({
    values: { keepMonths: String(keepMonths), keepRunMonths: String(keepRunMonths), keepTextMonths: String(keepTextMonths) },
  })
  const { busy, act } = useDeed()
  const save = handleSubmit((given) =>
    act(
      () => call('PUT', '/api/v1/settings', Object.fromEntries(Object.entries(given).map(([name, value]) => [name, Number(value)]))),
      'Saved. What is over it is let go of tonight.',
    ),
  )
  return (
    <Section
      title="How long is kept"
      note="Rehearsals, and why a change fired or did not, look back as far as the change log goes. What still waits, or is still to be handled, stays. Of mail whose text is gone it stays that it was sent, to whom and when."
    >
      <form onSubmit={save} className="grid grid-cols-1 items-end gap-x-8 gap-y-4 sm:grid-cols-3">
        {FIELDS.map(({ name, label, least }) => (
          <Labelled key={name} label={label}>
            <input aria-label={label} type="number" min={least} max="240" step="1" className="blank-line" {...register(name, { required: true })} />
          </Labelled>
        ))}
        <Button type="submit" className="sm:col-span-3 sm:justify-self-start" disabled={busy || !formState.isDirty}>
          Keep them so long
        </Button>
      </form>
    </Section>
  )
}
