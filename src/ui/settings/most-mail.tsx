'use client'

import { useForm } from 'react-hook-form'
import { call } from '../api'
import { Button } from '../parts/button'
import { useDeed } from '../parts/deed'
import { Labelled } from '../parts/labelled'
import { Section } from './section'

interface Most {
  readonly day: string
  readonly hour: string
}

/** The most mail that goes over all workflows; empty for no such limit. */
export function MostMail({ mailPerDay, mailPerHour }: { mailPerDay: number | null; mailPerHour: number | null }) {
  const { register, handleSubmit, formState } = useForm<Most>({
    values: { day: mailPerDay === null ? '' : String(mailPerDay), hour: mailPerHour === null ? '' : String(mailPerHour) },
  })
  const { busy, act } = useDeed()
  const numberOf = (text: string) => (text.trim() === '' ? null : Number(text))
  const save = handleSubmit(({ day, hour }) =>
    act(() => call('PUT', '/api/v1/settings', { mailPerDay: numberOf(day), mailPerHour: numberOf(hour) }), 'Saved. It counts from the next mail on.'),
  )
  return (
    <Section title="The most mail" note="Over all workflows. What goes past it is held, and Today asks whether to send or drop it. Empty: no such limit.">
      <form onSubmit={save} className="grid grid-cols-1 items-end gap-x-8 gap-y-4 sm:grid-cols-[1fr_1fr_auto]">
        <Labelled label="Mails a day, at most">
          <input aria-label="Mails a day, at most" type="number" min="1" step="1" className="blank-line" {...register('day')} />
        </Labelled>
        <Labelled label="Mails an hour, at most">
          <input aria-label="Mails an hour, at most" type="number" min="1" step="1" className="blank-line" {...register('hour')} />
        </Labelled>
        <Button type="submit" disabled={busy || !formState.isDirty}>
          Let no more go
        </Button>
      </form>
    </Section>
  )
}
