'use client'

import { useQuery } from '@tanstack/react-query'
import { useMemo, useState } from 'react'
import type { Wording } from '@/core/conditions/sentence'
import { cronWords } from '@/core/cues/cron'
import type { Workflow } from '@/core/document/document'
import type { Finding } from '@/core/review/review'
import { durationWords } from '@/core/values/duration'
import { differences } from '@/core/words/diff'
import { call } from '../api'
import type { ShownExample } from '../examples/panel'
import { Confirm } from '../parts/confirm'
import { counted, mailAndNotices } from '../today/summary'
import { Differences } from '../versions/differences'
import type { ShownMessage } from './evidence'
import { Preview } from './preview'
import type { ShownRehearsal } from './rehearsing'
import type { EditorSetting } from './setting'
import type { Standing } from './standing'

/** What going live is asked with, besides what the past says. */
export interface Proof {
  readonly wording: Wording
  /** The mail that the sample would get, where there is one. */
  readonly mail: ShownMessage | null
  /** What the version that is live would have done; null where none is, or it is not worked out. */
  readonly live: ShownRehearsal | null
  readonly workflows: EditorSetting['workflows']
}

interface Props {
  readonly open: boolean
  readonly setOpen: (open: boolean) => void
  readonly standing: Standing
  readonly failing: readonly ShownExample[]
  /** What the review and the past warn of. */
  readonly warnings: readonly Finding[]
  /** What it would have done in the past; null while that is not worked out. */
  readonly past: ShownRehearsal | null
  readonly days: number
  readonly document: Workflow
  readonly proof: Proof
  readonly onLive: (overrule: string | undefined, alreadyTrue: boolean) => void
}

const MONTH = 30
const MOST_TOLD = 5

const aMonth = (count: number, days: number) => Math.round((count * MONTH) / days)

/** How much more or less a number is than another, in words; blank where there is nothing to compare with. */
function moreWords(now: number, was: number | null): string {
  if (was === null) return ''
  return now === was ? ', as the version that is live' : now > was ? `, ${now - was} more than the version that is live` : `, ${was - now} fewer than the version that is live`
}

/** What a draft would have done in the past, by the month, against the version that is live. */
function PastTold({ past, live, days }: { past: ShownRehearsal; live: ShownRehearsal | null; days: number }) {
  const [firings, messages] = [aMonth(past.firings, days), aMonth(past.messages, days)]
  const { nobody, byRecipient } = past
  return (
    <section aria-label="By the past" className="mb-3">
      <p>
        By the last {days} days it fires <b className="figures font-semibold">{counted(firings, 'time')}</b> a month{moreWords(firings, live && aMonth(live.firings, days))}, and
        sends <b className="figures font-semibold">{counted(messages, 'mail')}</b>
        {moreWords(messages, live && aMonth(live.messages, days))}
        {past.notices > 0 && (
          <>
            {' '}
            and <b className="figures font-semibold">{counted(aMonth(past.notices, days), 'notice')}</b>
          </>
        )}
        .{nobody.count > 0 && ` ${counted(nobody.count, 'time')} it would have found nobody to write to.`}
      </p>
      {byRecipient.length > 0 && (
        <ul aria-label="Who would get most" className="mt-1 text-sm">
          {byRecipient.slice(0, MOST_TOLD).map((r) => (
            <li key={r.address} className="flex justify-between gap-4 border-rule border-t py-0.5">
              <span className="truncate" title={r.address}>
                {r.address}
              </span>
              <span className="figures text-muted">
                {counted(r.messages, 'mail')} in {days} days
              </span>
            </li>
          ))}
          {byRecipient.length > MOST_TOLD && <li className="text-muted text-xs">and {counted(byRecipient.length - MOST_TOLD, 'other')}</li>}
        </ul>
      )}
    </section>
  )
}

/** The lines that differ from the version that is live. */
function LinesChanged({ standing, document, wording }: { standing: Standing; document: Workflow; wording: Wording }) {
  const changed = useMemo(() => (standing.live ? differences(standing.live, document, wording) : []), [standing.live, document, wording])
  if (!standing.live || changed.length === 0) return null
  return (
    <section aria-label="Lines that changed" className="mb-3">
      <h3 className="text-muted text-xs">{counted(changed.length, 'line')} changed</h3>
      <Differences differences={changed} />
    </section>
  )
}

/** Whether it matters to a workflow what fits already when it goes live. */
export const asksForPresent = ({ cue, firing }: Workflow) =>
  (cue.kind === 'record' && cue.stays !== undefined) || (cue.kind === 'timetable' && (cue.per === 'record' || cue.per === 'group') && firing !== 'every')

/** How many records fit now, asked while the question stands there; null until it is known. */
function useFits(document: Workflow, open: boolean): number | null {
  const isAsked = open && asksForPresent(document)
  const { data } = useQuery({
    queryKey: ['fits', document],
    queryFn: async () => (await call<{ fits: number }>('POST', '/api/v1/fits', { workflow: document })).fits,
    enabled: isAsked,
  })
  return isAsked ? (data ?? null) : null
}

/** What fits now, and what it would mean to count it. */
function presentWords({ cue }: Workflow, fits: number): string {
  const now = `${counted(fits, 'record')} ${fits === 1 ? 'fits' : 'fit'} now`
  return cue.kind === 'timetable' ? `${now}: run for ${fits === 1 ? 'it' : 'them'} too when it comes first` : `${now}: count from now for ${fits === 1 ? 'it' : 'them'} too`
}

/** What going live means, by what sets the workflow off. */
function liveWords({ cue }: Workflow): string {
  if (cue.kind === 'timetable') return `From this moment it comes ${cronWords(cue.cron)} and sends real mail.`
  if (cue.kind === 'by hand') return 'From this moment it can be run by hand, and sends real mail.'
  if (cue.kind === 'record' && cue.stays !== undefined)
    return `From this moment what becomes true is waited for, and what stays so for ${durationWords(cue.stays)} sends real mail.`
  return 'From this moment each change that it waits for sends real mail. What was changed before does not fire it.'
}

/** What limits hold of a workflow: “2 mails and 1 notice”. */
export const heldOf = ({ held, heldNotices }: Pick<Standing, 'held' | 'heldNotices'>) => mailAndNotices(held - heldNotices, heldNotices)

/** What limits hold of a workflow, as the beginning of a sentence. */
export const heldWords = (standing: Pick<Standing, 'held' | 'heldNotices'>) => `${heldOf(standing)} that its limits hold ${standing.held === 1 ? 'is' : 'are'}`

/** Asks before a draft goes live; where examples fail, also why it may all the same. */
export function AskLive({ open, setOpen, standing, failing, warnings, past, days, document, proof, onLive }: Props) {
  const { state, version, held } = standing
  const [reason, setReason] = useState('')
  const [alreadyTrue, setAlreadyTrue] = useState(false)
  const fits = useFits(document, open)
  return (
    <Confirm
      open={open}
      setOpen={setOpen}
      title={`Send it live as version ${(version ?? 0) + 1}?`}
      deed="Send it live"
      leave="Not yet"
      kind="main"
      onDeed={() => onLive(failing.length ? reason.trim() : undefined, alreadyTrue)}
      isWide
      waits={failing.length > 0 && reason.trim() === ''}
      before={
        <>
          <LinesChanged standing={standing} document={document} wording={proof.wording} />
          {past && document.cue.kind !== 'by hand' && <PastTold past={past} live={proof.live} days={days} />}
          {asksForPresent(document) && fits !== null && fits > 0 && (
            <label className="mb-4 flex items-baseline gap-2 border-rule border-y py-2">
              <input type="checkbox" className="accent-spruce" checked={alreadyTrue} onChange={(e) => setAlreadyTrue(e.target.checked)} />
              <span>{presentWords(document, fits)}</span>
            </label>
          )}
          {warnings.length > 0 && (
            <ul aria-label="To consider" className="mb-4 max-h-40 overflow-y-auto border-rule border-t text-sm">
              {warnings.map((w) => (
                <li key={w.path + w.message} className="border-rule border-b py-1 text-rope">
                  {w.message}
                </li>
              ))}
            </ul>
          )}
          {proof.mail && (
            <details className="mb-4">
              <summary className="cursor-pointer py-1 text-spruce text-sm leading-5">One of them: “{proof.mail.subject}”</summary>
              <Preview message={proof.mail} />
            </details>
          )}
          {failing.length > 0 && (
            <div className="mb-5 border-rule border-t pt-2">
              <p className="text-alarm">{counted(failing.length, 'example fails', 'examples fail')}:</p>
              <ul className="mb-3">
                {failing.map((e) => (
                  <li key={e.name}>
                    {e.name}. <span className="text-muted">{e.shortfalls[0]}</span>
                  </li>
                ))}
              </ul>
              <label htmlFor="overrule" className="text-muted text-sm">
                Why may it go live all the same? The reason is kept with the version.
              </label>
              <input id="overrule" className="blank-line" value={reason} onChange={(e) => setReason(e.target.value)} />
            </div>
          )}
        </>
      }
    >
      {liveWords(document)}
      {state !== 'draft' && ` Version ${version} ends at the same moment; no change is lost or taken twice.`}
      {held > 0 && ` ${heldWords(standing)} kept as written, and ${held === 1 ? 'goes' : 'go'} when planned, whatever the new version’s limits say.`}
    </Confirm>
  )
}
