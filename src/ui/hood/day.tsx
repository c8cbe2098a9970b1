'use client'

import type { Moment } from '@/store/meters'
import { OverTime } from '../charts/over-time'

const count = (what: string) => (value: number) => `${Math.round(value).toLocaleString('en-GB')} ${what}`
const milliseconds = (value: number) => (value < 1_000 ? `${Math.round(value)} ms` : `${(value / 1_000).toFixed(1)} s`)
const seconds = (value: number) => (value < 120 ? `${Math.round(value)} s` : `${Math.round(value / 60)} minutes`)
const megabytes = (value: number) => `${Math.round(value / 1e6).toLocaleString('en-GB')} MB`

/** How long anything may wait before it is wrong, in seconds. */
const TOO_LONG = 60

type Told = Omit<Moment, 'at'> & { readonly at: number }

/** The last hours of an installation in pictures: what was done, how far behind it was, and how the processes fared. */
export function Day({ moments, from, to, minutes, zone, locale }: { moments: readonly Told[]; from: number; to: number; minutes: number; zone: string; locale: string }) {
  const clock = new Intl.DateTimeFormat(locale, { hour: '2-digit', minute: '2-digit', timeZone: zone })
  const times = (at: number) => clock.format(at)
  const of = (value: (moment: Told) => number | null) => moments.map((m) => ({ at: m.at, value: value(m) }))
  const each = { from, to, step: minutes * 60_000, times }
  const per = `in ${minutes} minutes`
  return (
    <div className="mt-5 grid grid-cols-1 gap-x-10 gap-y-8 md:grid-cols-2">
      <OverTime title="Changes handled" points={of((m) => m.handled)} words={count(per)} {...each} />
      <OverTime title="Runs" points={of((m) => m.runs)} words={count(per)} {...each} />
      <OverTime title="Mail taken by the server" points={of((m) => m.sent)} words={count(per)} {...each} />
      <OverTime title="Mail that failed" points={of((m) => m.failed)} words={count(per)} isAlarm={(v) => v > 0} {...each} />
      <OverTime title="Save to acceptance, 99 of 100" points={of((m) => m.most)} words={milliseconds} {...each} />
      <OverTime title="Save to acceptance, half" points={of((m) => m.half)} words={milliseconds} {...each} />
      <OverTime title="Oldest change that waits" points={of((m) => m.oldestChange)} words={seconds} isAlarm={(v) => v > TOO_LONG} {...each} />
      <OverTime title="Oldest message that is due" points={of((m) => m.oldestMessage)} words={seconds} isAlarm={(v) => v > TOO_LONG} {...each} />
      <OverTime title="Changes that wait" points={of((m) => m.backlog)} words={count('waiting')} {...each} />
      <OverTime title="Longest standstill of a process" points={of((m) => m.loop)} words={milliseconds} {...each} />
      <OverTime title="Memory of the largest process" points={of((m) => m.memory)} words={megabytes} {...each} />
      <OverTime title="Processes" points={of((m) => m.processes)} words={count('at work')} {...each} />
    </div>
  )
}
