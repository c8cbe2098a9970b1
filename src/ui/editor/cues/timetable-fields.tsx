'use client'

import { useState } from 'react'
import { cronWords, readCron } from '@/core/cues/cron'
import { typedCron } from '@/core/cues/cron-typed'
import type { TimetableCue } from '@/core/document/document'
import { figuresOf } from '@/core/figures/of-table'
import type { Organisation, TableDef } from '@/core/values/tables'
import { Choice } from '../../parts/choice'
import { Labelled } from '../../parts/labelled'
import { counted } from '../../today/summary'
import { OverField } from './over-field'
import type { CueProps } from './props'

const PER = [
  { value: 'record', label: 'each record that fits' },
  { value: 'owner', label: 'each owner, with their records' },
  { value: 'all', label: 'all that fit, together' },
  { value: 'group', label: 'each group of a figure' },
] as const

/** A timetable: when, in words or as cron; what it runs once for; the next times, and how many records fit now. */
export function TimetableFields({ cue, table, setting, evidence, put }: CueProps & { readonly cue: TimetableCue }) {
  const standing = evidence?.standing
  const orders = (table?.fields ?? []).flatMap((f) => [
    { value: f.name, label: f.label.toLowerCase() },
    { value: `-${f.name}`, label: `${f.label.toLowerCase()}, the largest first` },
  ])
  return (
    <>
      <When cron={cue.cron} onCron={(cron) => put('/cue/cron', cron)} />
      <Labelled label="Once for">
        <Choice label="Once for" value={cue.per} options={PER} onChange={(per) => put('/cue', perOf(cue, table, per))} />
      </Labelled>
      {cue.per === 'group' && <OverField table={table} over={cue.over?.figure} onOver={(figure) => put('/cue/over', { figure })} />}
      {(cue.per === 'owner' || cue.per === 'all') && (
        <Labelled label="In the order of">
          <Choice
            label="In the order of"
            value={cue.order ?? ''}
            options={[{ value: '', label: 'when they were made' }, ...orders]}
            onChange={(order) => put('/cue/order', order === '' ? undefined : order)}
          />
        </Labelled>
      )}
      {cue.per === 'all' && (
        <label className="flex items-center gap-1.5 self-end py-1">
          <input type="checkbox" className="accent-spruce" checked={cue.evenIfNone ?? false} onChange={(e) => put('/cue/evenIfNone', e.target.checked || undefined)} />
          also when none fits
        </label>
      )}
      {standing && (
        <div className="col-span-2 border-rule border-t pt-2">
          <p className="text-muted text-xs">The next times{standing.next.length === 0 && ': it does not come any more'}</p>
          <ol className="flex flex-wrap gap-x-5" aria-label="The next times">
            {standing.next.map((at) => (
              <li key={at}>{whenWords(at, setting.organisation)}</li>
            ))}
          </ol>
          <p className="mt-1 text-muted text-sm">
            <b className="font-semibold text-ink">
              {cue.per === 'group'
                ? counted(standing.fits, 'group')
                : counted(standing.fits, table?.singular.replaceAll('_', ' ') ?? 'record', table?.label.toLowerCase() ?? 'records')}
            </b>{' '}
            {standing.fits === 1 ? 'fits' : 'fit'} now.
          </p>
        </div>
      )}
    </>
  )
}

/** The same timetable, run once for something else; per group it goes through the first figure that there is. */
function perOf({ over, order, evenIfNone, ...rest }: TimetableCue, table: TableDef | undefined, per: TimetableCue['per']): TimetableCue {
  if (per === 'group') return { ...rest, per, over: over ?? { figure: figuresOf(table)[0]?.name ?? '' } }
  return { ...rest, per, ...(order !== undefined && per !== 'record' ? { order } : {}), ...(evenIfNone && per === 'all' ? { evenIfNone } : {}) }
}

/** A coming moment as a timetable reads: "Mon 30 Nov, 07:00", in the organisation's zone. */
export function whenWords(at: string | Date, { locale, zone }: Organisation): string {
  return new Intl.DateTimeFormat(locale, { weekday: 'short', day: 'numeric', month: 'short', hour: '2-digit', minute: '2-digit', timeZone: zone }).format(new Date(at))
}

/** When it comes, typed in words or as five cron fields; what was understood stands beside it. */
function When({ cron, onCron }: { cron: string; onCron: (cron: string) => void }) {
  const [text, setText] = useState<string | null>(null)
  const shown = text ?? ('cron' in readCron(cron) ? cronWords(cron) : cron)
  const read = text === null ? cron : typedCron(text)
  const problem = readCron(read ?? text ?? '')
  return (
    <Labelled
      label="When"
      fault={read === null ? 'Write it such as “working days at 07:00”, “every 15 minutes”, or as five cron fields.' : undefined}
      note={
        'cron' in problem && (
          <>
            {text !== null && `${cronWords(read ?? '')} · `}
            <span className="font-mono">{read}</span>
          </>
        )
      }
    >
      <input
        aria-label="When"
        className="blank-line"
        value={shown}
        onChange={(e) => {
          setText(e.target.value)
          const typed = typedCron(e.target.value)
          if (typed !== null) onCron(typed)
          else if (/^[\d*,/\- a-z]+$/i.test(e.target.value.trim()) && e.target.value.trim().split(/\s+/).length >= 5) onCron(e.target.value.trim())
        }}
        onBlur={() => read !== null && setText(null)}
      />
    </Labelled>
  )
}
