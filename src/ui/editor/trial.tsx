'use client'

import { useQuery, useQueryClient } from '@tanstack/react-query'
import { toast } from 'sonner'
import type { Wording } from '@/core/conditions/sentence'
import { sampleAnswers } from '@/core/cues/samples'
import type { Workflow } from '@/core/document/document'
import { faultOf } from '@/core/must'
import type { RecordId } from '@/core/values/tables'
import type { TrialAnswer } from '@/engine/answers/trial'
import { call, Refusal } from '../api'
import { Button } from '../parts/button'
import Link from '../parts/link'
import { StateMark } from '../parts/state-mark'
import { ClockTime, Time } from '../parts/time'
import { useTitles } from '../records/use-titles'
import type { Sample } from './evidence'
import { TrialRun } from './trial-run'

export type ShownTrial = TrialAnswer

const LOOK_EVERY_MS = 1_000

export interface TrialDesk {
  readonly trial: ShownTrial | null
  /** Arms it for a record, or for my changes; `occasion` is run at once. */
  arm(record: RecordId | null, occasion?: object): Promise<void>
  end(): Promise<void>
}

/** One's own trial of a workflow: arms and ends it, and looks what runs come of it while it is armed. */
export function useTrial(name: string | null, save: () => Promise<string | null>): TrialDesk {
  const client = useQueryClient()
  const keyOf = (of: string | null) => ['trial', of]
  const { data: trial = null, refetch } = useQuery({
    queryKey: keyOf(name),
    queryFn: async () => (await call<{ trial: ShownTrial | null }>('GET', pathOf(name ?? ''))).trial,
    enabled: name !== null,
    refetchInterval: ({ state }) => (state.data?.armed ? LOOK_EVERY_MS : false),
  })
  return {
    trial,
    arm: async (record, occasion) => {
      const saved = await save()
      if (!saved) return
      try {
        const { trial: armed } = await call<{ trial: ShownTrial }>('POST', pathOf(saved), { ...(record === null ? {} : { record }), ...(occasion ? { occasion } : {}) })
        client.setQueryData(keyOf(saved), armed)
      } catch (error) {
        const first = error instanceof Refusal ? error.problem.review?.find((f) => f.level === 'error') : undefined
        toast.error(first ? `It cannot be tried yet. ${first.message}` : faultOf(error))
      }
    },
    end: async () => {
      if (!name) return
      await call('DELETE', pathOf(name)).catch((error: Error) => toast.error(error.message))
      await refetch()
    },
  }
}

/** What a trial runs at once of a draft that waits for no change: a tick now, or a press with answers that stand for themselves. */
function occasionOf({ cue }: Workflow, sample: Sample | undefined): object {
  if (sample?.occasion) return sample.occasion
  if (cue.kind === 'timetable') return { kind: 'tick', ...(sample ? { record: sample.record, owner: sample.owner ?? undefined } : {}) }
  return { kind: 'press', records: sample ? [sample.record] : [], asked: cue.kind === 'by hand' ? sampleAnswers(cue.ask ?? [], new Date()) : {} }
}

function forWords({ cue }: Workflow, sample: Sample | undefined): string {
  const isAll = (cue.kind === 'timetable' && cue.per === 'all') || (cue.kind === 'by hand' && cue.per === 'none')
  if (isAll || !sample) return 'now'
  return cue.kind === 'timetable' && cue.per === 'owner' ? `for the owner of ${sample.title}` : `for ${sample.title}`
}

const pathOf = (name: string) => `/api/v1/workflows/${encodeURIComponent(name)}/trial`

interface Props {
  readonly desk: TrialDesk
  readonly sample: Sample | undefined
  readonly wording: Wording
  readonly document: Workflow
}

/** How a trial is begun, beside the dry run: armed for changes to come, or run once for real; all mail goes to oneself. */
export function TrialChoices({ desk, sample, document, onDone }: Omit<Props, 'wording'> & { onDone: () => void }) {
  const arm = (...how: Parameters<TrialDesk['arm']>) => {
    onDone()
    void desk.arm(...how)
  }
  if (document.cue.kind === 'figure' && !sample?.occasion)
    return <p className="text-muted text-sm">The figure has not crossed yet. A dry run tries a crossing of your own making.</p>
  const isOnce = document.cue.kind !== 'record'
  return (
    <>
      <p className="mb-1 text-muted text-sm">{isOnce ? 'Run it once for real, all mail to me:' : 'Arm it for real, all mail to me:'}</p>
      <p className="flex flex-wrap items-baseline gap-x-5">
        <Button onClick={() => (isOnce ? arm(null, occasionOf(document, sample)) : arm(null))}>{isOnce ? forWords(document, sample) : 'for my changes'}</Button>
        {!isOnce && sample && <Button onClick={() => arm(sample.record)}>for {sample.title}</Button>}
      </p>
    </>
  )
}

/** A trial that is armed, or was run, in the margin: make the change in another tab, and watch the runs arrive. Nothing where there is none. */
export function TrialPanel({ desk, wording, document }: Omit<Props, 'sample'>) {
  const { trial } = desk
  const newest = trial?.runs[0]
  const titleOf = useTitles(wording.schema)
  if (!trial || (!trial.armed && trial.runs.length === 0)) return null
  return (
    <section aria-label="Trial" className="mb-5 border-rule border-b pb-4">
      {trial.armed && (
        <>
          <p className="flex items-baseline gap-4">
            <span className="font-semibold text-rope">On trial</span>
            <span className="text-muted text-sm">
              for {trial.record === null ? 'the changes that I make' : titleOf(document.table, trial.record)}, until <ClockTime at={trial.until} />
            </span>
            <span className="ml-auto">
              <Button data-trial-deed onClick={desk.end}>
                End it
              </Button>
            </span>
          </p>
          <p className="text-muted text-sm">Make the change in another tab. It runs for real; all its mail goes to {trial.to} alone.</p>
        </>
      )}
      {!trial.armed && <h2 className="role-word text-rope">Trial</h2>}
      {trial.runs.length > 0 && (
        <ul aria-label="Runs of the trial" className="mt-2">
          {trial.runs.slice(0, 6).map((run) => (
            <li key={run.id} className="flex items-baseline gap-3 border-rule border-t py-1 text-sm">
              <StateMark state={run.state} />
              <Link href={`/runs/${run.id}`} target="_blank">
                {run.title}
              </Link>
              <span className="min-w-0 flex-1 truncate text-muted" title={run.error ?? run.why}>
                {run.error ?? `${run.messages} ${run.messages === 1 ? 'mail' : 'mails'} to me`}
              </span>
              <Time at={run.at} />
            </li>
          ))}
        </ul>
      )}
      {newest && <TrialRun key={newest.id} id={newest.id} stamp={`${newest.state} ${newest.sent}`} wording={wording} />}
    </section>
  )
}
