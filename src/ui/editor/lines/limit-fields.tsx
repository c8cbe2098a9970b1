'use client'

import { useState } from 'react'
import type { Limits } from '@/core/document/document'
import { everyMinutes } from '@/core/limits/digest'
import { readTime } from '@/core/limits/time-of-day'
import type { LimitPart } from '@/core/limits/words'
import { durationWords, typedDuration } from '@/core/values/duration'
import { NumberField } from '../../figures/number-field'
import { Choice } from '../../parts/choice'
import { Labelled } from '../../parts/labelled'
import { usePlace } from '../place'

const DAYS = ['Mon', 'Tue', 'Wed', 'Thu', 'Fri', 'Sat', 'Sun']

/** A limit of the workflow, by its part. */
export function LimitFields({ part, limits }: { readonly part: LimitPart; readonly limits: Limits }) {
  const { spacing, quietHours, digest, perDay } = limits
  if (part === 'spacing' && spacing) return <SpacingFields spacing={spacing} />
  if (part === 'quietHours' && quietHours) return <QuietFields quiet={quietHours} />
  if (part === 'digest' && digest) return <DigestFields digest={digest} />
  if (part === 'mayGather')
    return <p className="max-w-xl text-muted text-sm">Whoever signs in may ask in Your account for a digest of this workflow’s mail instead of single mails.</p>
  if (part === 'mayStop')
    return (
      <p className="max-w-xl text-muted text-sm">
        A mail to one recipient outside carries a link, and a header for mail programs, with which they say stop. Whoever did is left out from then on; Settings shows them, and
        takes it back.
      </p>
    )
  return <PerDayField perDay={perDay ?? 0} />
}

function SpacingFields({ spacing }: { spacing: NonNullable<Limits['spacing']> }) {
  const { put, path, table } = usePlace()
  const noun = table.singular.replaceAll('_', ' ')
  const per = [
    { value: 'record', label: `for each ${noun}` },
    { value: 'recipient', label: 'for each recipient' },
    { value: 'group', label: 'for each group of the figure' },
    { value: 'workflow', label: 'for the whole workflow' },
  ] as const
  return (
    <div className="grid max-w-xl grid-cols-2 gap-x-8 gap-y-3">
      <Labelled label="At most one">
        <Choice label="At most one" value={spacing.per} options={per} onChange={(next) => put(`${path}/per`, next)} />
      </Labelled>
      <DurationField label="In" every={spacing.every} onEvery={(every) => put(`${path}/every`, every)} />
      <p className="col-span-2 text-muted text-sm">The first goes; those that come within that time after it are left out, and their run says so. Writes are made all the same.</p>
    </div>
  )
}

function DurationField({ label, every, onEvery }: { label: string; every: string; onEvery: (every: string) => void }) {
  const [text, setText] = useState<string | null>(null)
  const read = text === null ? every : typedDuration(text)
  return (
    <Labelled label={label} fault={read === null ? 'Write it such as “1 hour”, “30 minutes” or “2 days”.' : undefined}>
      <input
        aria-label={label}
        className="blank-line"
        value={text ?? durationWords(every)}
        onChange={(e) => {
          setText(e.target.value)
          const typed = typedDuration(e.target.value)
          if (typed) onEvery(typed)
        }}
        onBlur={() => read !== null && setText(null)}
      />
    </Labelled>
  )
}

function TimeField({ label, time, onTime }: { label: string; time: string; onTime: (time: string) => void }) {
  return (
    <input
      aria-label={label}
      type="time"
      className="blank-line"
      value={readTime(time) === null ? '' : time.padStart(5, '0')}
      onChange={(e) => e.target.value && onTime(e.target.value)}
    />
  )
}

const WHOSE = [
  { value: 'own', label: 'as given here' },
  { value: 'organisation', label: 'as the organisation' },
] as const

function QuietFields({ quiet }: { quiet: NonNullable<Limits['quietHours']> }) {
  const { put, path } = usePlace()
  return (
    <div className="grid max-w-xl gap-y-3">
      <Labelled label="Quiet hours">
        <Choice
          label="Quiet hours"
          value={quiet === 'organisation' ? 'organisation' : 'own'}
          options={WHOSE}
          onChange={(whose) => put(path, whose === 'own' ? { from: '22:00', to: '07:00' } : 'organisation')}
        />
      </Labelled>
      {quiet === 'organisation' ? <p className="text-muted text-sm">They are set in Settings, once for all workflows that go by them.</p> : <OwnQuietFields quiet={quiet} />}
    </div>
  )
}

function OwnQuietFields({ quiet }: { quiet: Exclude<NonNullable<Limits['quietHours']>, 'organisation'> }) {
  const { put, path } = usePlace()
  const days = quiet.days ?? [1, 2, 3, 4, 5, 6, 7]
  const toggle = (day: number) => {
    const next = days.includes(day) ? days.filter((d) => d !== day) : [...days, day].sort()
    if (next.length > 0) put(`${path}/days`, next.length === 7 ? undefined : next)
  }
  return (
    <div className="grid max-w-xl grid-cols-2 gap-x-8 gap-y-3">
      <Labelled label="From">
        <TimeField label="From" time={quiet.from} onTime={(time) => put(`${path}/from`, time)} />
      </Labelled>
      <Labelled label="To">
        <TimeField label="To" time={quiet.to} onTime={(time) => put(`${path}/to`, time)} />
      </Labelled>
      <fieldset className="col-span-2 flex flex-wrap gap-x-4">
        <legend className="text-muted text-xs">Beginning on</legend>
        {DAYS.map((name, i) => (
          <label key={name} className="flex items-center gap-1.5 py-1 text-sm">
            <input type="checkbox" className="accent-spruce" checked={days.includes(i + 1)} onChange={() => toggle(i + 1)} />
            {name}
          </label>
        ))}
      </fieldset>
      <p className="col-span-2 text-muted text-sm">What comes then is held until they end, and sent in order.</p>
    </div>
  )
}

function DigestFields({ digest }: { digest: NonNullable<Limits['digest']> }) {
  const { put, path } = usePlace()
  const columns = digest.columns?.join(', ') ?? ''
  const rest = digest.columns ? { columns: digest.columns } : {}
  return (
    <div className="grid max-w-xl grid-cols-2 gap-x-8 gap-y-3">
      <Labelled label="Gathered">
        <Choice
          label="Gathered"
          value={'every' in digest ? 'every' : digest.at === 'organisation' ? 'organisation' : 'at'}
          options={[
            { value: 'at', label: 'at times of the day' },
            { value: 'every', label: 'every so often' },
            { value: 'organisation', label: 'as the organisation' },
          ]}
          onChange={(way) => put(path, way === 'every' ? { every: 'PT1H', ...rest } : { at: way === 'organisation' ? way : ['08:00'], ...rest })}
        />
      </Labelled>
      {'at' in digest && digest.at !== 'organisation' && <TimesField at={digest.at} onAt={(at) => put(path, { at, ...rest })} />}
      {'at' in digest && digest.at === 'organisation' && <p className="self-end text-muted text-sm">The times are set in Settings, once for all workflows that go by them.</p>}
      {'every' in digest && <DurationField label="Every" every={digest.every} onEvery={(every) => everyMinutes(every) !== null && put(path, { every, ...rest })} />}
      <Labelled label="Columns, with commas between" note="Paths such as status or owner.name, at most 8; without any, what changed." className="col-span-2">
        <input
          aria-label="Columns, with commas between"
          className="blank-line font-mono"
          defaultValue={columns}
          onBlur={(e) => {
            const next = e.target.value
              .split(',')
              .map((c) => c.trim())
              .filter(Boolean)
            put(`${path}/columns`, next.length ? next : undefined)
          }}
        />
      </Labelled>
      <p className="col-span-2 text-muted text-sm">One mail for each recipient and time, with all workflows that gather for the same time. One entry alone goes as its own mail.</p>
    </div>
  )
}

function TimesField({ at, onAt }: { at: readonly string[]; onAt: (at: string[]) => void }) {
  const [text, setText] = useState<string | null>(null)
  const read = (text ?? at.join(', ')).split(',').map((t) => t.trim())
  const isWrong = read.some((t) => readTime(t) === null)
  return (
    <Labelled label="At" fault={isWrong ? 'Times of the day with commas between, such as 08:00, 16:00.' : undefined}>
      <input
        aria-label="At"
        className="blank-line"
        value={text ?? at.join(', ')}
        onChange={(e) => {
          setText(e.target.value)
          const times = e.target.value.split(',').map((t) => t.trim())
          if (times.every((t) => readTime(t) !== null)) onAt(times.map((t) => t.padStart(5, '0')))
        }}
        onBlur={() => !isWrong && setText(null)}
      />
    </Labelled>
  )
}

function PerDayField({ perDay }: { perDay: number }) {
  const { put, path } = usePlace()
  return (
    <div className="grid max-w-xl grid-cols-2 gap-x-8 gap-y-3">
      <Labelled label="Mails a day, at most">
        <NumberField label="Mails a day, at most" value={perDay} onChange={(next) => next !== null && Number.isInteger(next) && next > 0 && put(path, next)} />
      </Labelled>
      <p className="col-span-2 text-muted text-sm">Past it mail is held; Today says so, and whether to send or drop it.</p>
    </div>
  )
}
