import { answersTable } from '@/core/cues/answers'
import { cronWords } from '@/core/cues/cron'
import type { Workflow } from '@/core/document/document'
import { labelOf } from '@/core/figures/label'
import { durationWords } from '@/core/values/duration'
import { readable } from '@/core/values/readable'
import { fieldOf, type Organisation } from '@/core/values/tables'
import type { Trace } from '@/store/runs'
import Link from '../parts/link'
import { Time } from '../parts/time'

type Occasion = NonNullable<Trace['occasion']>

/** What set a run off where that was more than a change: conditions that stayed so, a moment of a timetable, or somebody who ran it by hand, with their answers. */
export function SetOff({ occasion, document, titles, organisation }: { occasion: Occasion; document: Workflow; titles: ReadonlyMap<string, string>; organisation: Organisation }) {
  const time = (at: string) => <Time at={at} locale={organisation.locale} zone={organisation.zone} />
  const { cue } = document
  return (
    <section aria-label="What set it off" className="mb-6">
      {occasion.kind === 'stay' && (
        <p className="mb-1 text-muted text-sm">
          Became true {time(occasion.since ?? occasion.at)} and stayed so{cue.kind === 'record' && cue.stays ? ` for ${durationWords(cue.stays)}` : ''}, until {time(occasion.at)}.
        </p>
      )}
      {occasion.kind === 'tick' && (
        <p className="mb-1 text-muted text-sm">
          The timetable came {time(occasion.at)}
          {cue.kind === 'timetable' ? ` (${cronWords(cue.cron)})` : ''}.{occasion.late && <b className="text-rope"> It ran late: nothing was running when it was due.</b>}
        </p>
      )}
      {occasion.kind === 'crossing' && occasion.crossing && (
        <p className="mb-1 text-muted text-sm">
          Moved by <b className="font-semibold text-ink">{occasion.by.name}</b>, {time(occasion.at)}.
        </p>
      )}
      {occasion.standing && (
        <p className="mb-1 text-muted text-sm">
          For a group of <Link href={`/figures/${occasion.standing.figure}`}>{labelOf({ name: occasion.standing.figure }).toLowerCase()}</Link>, which stood at{' '}
          <b className="figures font-semibold text-ink">{occasion.standing.value ?? 'blank'}</b> then.
        </p>
      )}
      {occasion.kind === 'press' && (
        <>
          <p className="mb-1 text-muted text-sm">
            Run by hand by <b className="font-semibold text-ink">{occasion.by.name}</b>, {time(occasion.at)}
            {occasion.per === 'all' ? `, for ${occasion.records?.length ?? 0} records` : ''}.
          </p>
          {cue.kind === 'by hand' && cue.ask && cue.ask.length > 0 && (
            <dl className="border-rule border-b">
              {cue.ask.map(({ name, label }) => (
                <div key={name} className="grid grid-cols-[160px_minmax(0,1fr)] gap-4 border-rule border-t py-1">
                  <dt className="text-muted">{label}</dt>
                  <dd className="whitespace-pre-line">{readable(fieldOf(answersTable(cue.ask ?? []), name), occasion.asked?.[name], titles, organisation)}</dd>
                </div>
              ))}
            </dl>
          )}
        </>
      )}
    </section>
  )
}
