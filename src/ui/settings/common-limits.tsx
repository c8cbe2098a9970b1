'use client'

import { useState } from 'react'
import { readTime, timeWords } from '@/core/limits/time-of-day'
import { call } from '../api'
import { Button } from '../parts/button'
import { useDeed } from '../parts/deed'
import { Labelled } from '../parts/labelled'
import { Section } from './section'

interface Quiet {
  readonly from: string
  readonly to: string
  readonly days?: readonly number[]
}

const DAYS = ['Mon', 'Tue', 'Wed', 'Thu', 'Fri', 'Sat', 'Sun']
const isTime = (text: string) => readTime(text.trim()) !== null
const timesIn = (text: string) =>
  text
    .split(',')
    .map((t) => t.trim())
    .filter(Boolean)

/** The organisation's quiet hours and digest times, which workflows may go by. Empty: none. */
export function CommonLimits({ quietHours, digestAt }: { quietHours: Quiet | null; digestAt: readonly string[] | null }) {
  const was = { from: quietHours?.from ?? '', to: quietHours?.to ?? '', days: quietHours?.days ?? [1, 2, 3, 4, 5, 6, 7], times: digestAt?.join(', ') ?? '' }
  const [{ from, to, days, times }, setDraft] = useState(was)
  const { busy, act } = useDeed()
  const set = (next: Partial<typeof was>) => setDraft((draft) => ({ ...draft, ...next }))
  const fault =
    (from.trim() === '') !== (to.trim() === '') || (from.trim() !== '' && !(isTime(from) && isTime(to)))
      ? 'Quiet hours have a beginning and an end, such as 22:00 and 07:00.'
      : timesIn(times).some((t) => !isTime(t))
        ? 'Digest times are times of the day with commas between, such as 08:00, 16:00.'
        : null
  const save = () =>
    act(
      () =>
        call('PUT', '/api/v1/settings', {
          quietHours: from.trim() === '' ? null : { from: from.trim(), to: to.trim(), ...(days.length < 7 ? { days } : {}) },
          digestAt: timesIn(times).length ? [...new Set(timesIn(times).map((t) => readTime(t) ?? 0))].sort((a, b) => a - b).map(timeWords) : null,
        }),
      'Saved. Workflows that go by them do so from the next mail on.',
    )
  return (
    <Section
      title="Quiet hours and digest times"
      note="Workflows may take them over: “quiet as the organisation”, “gathered as the organisation”. People who ask for a digest themselves get it at these times."
    >
      <div className="grid grid-cols-2 gap-x-8 gap-y-4">
        <Labelled label="Quiet from">
          <input aria-label="Quiet from" className="blank-line" placeholder="22:00" value={from} onChange={(e) => set({ from: e.target.value })} />
        </Labelled>
        <Labelled label="Quiet to">
          <input aria-label="Quiet to" className="blank-line" placeholder="07:00" value={to} onChange={(e) => set({ to: e.target.value })} />
        </Labelled>
        <fieldset className="col-span-2 flex flex-wrap gap-x-4">
          <legend className="text-muted text-xs">Beginning on</legend>
          {DAYS.map((name, i) => (
            <label key={name} className="flex items-center gap-1.5 py-1 text-sm">
              <input
                type="checkbox"
                className="accent-spruce"
                checked={days.includes(i + 1)}
                onChange={() => set({ days: days.includes(i + 1) ? days.filter((d) => d !== i + 1) : [...days, i + 1].sort() })}
              />
              {name}
            </label>
          ))}
        </fieldset>
        <Labelled label="Digests at, with commas between" className="col-span-2" fault={fault ?? undefined}>
          <input aria-label="Digests at, with commas between" className="blank-line" placeholder="08:00, 16:00" value={times} onChange={(e) => set({ times: e.target.value })} />
        </Labelled>
      </div>
      <p className="mt-3">
        <Button disabled={busy || fault !== null || days.length === 0 || JSON.stringify({ from, to, days, times }) === JSON.stringify(was)} onClick={() => void save()}>
          Go by these
        </Button>
      </p>
    </Section>
  )
}
