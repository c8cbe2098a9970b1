'use client'

import type { ReactNode } from 'react'
import type { Wording } from '@/core/conditions/sentence'
import type { Workflow } from '@/core/document/document'
import { type Finding, isToMend } from '@/core/review/review'
import { changePath, type RecordId, type TableDef } from '@/core/values/tables'
import type { Line } from '@/core/words/brief'
import { usesOf } from '@/core/workflow/uses'
import { Choice } from '../parts/choice'
import Link from '../parts/link'
import { MarginTitle } from '../parts/page'
import { Time } from '../parts/time'
import { counted } from '../today/summary'
import { AtLine } from './at-line'
import { lineOf } from './at-lines'
import type { Evidence, Found, ShownPlan } from './evidence'
import { Preview } from './preview'
import { Reached } from './reached'
import { RehearsalPanel } from './rehearsal'
import type { Rehearsing } from './rehearsing'
import type { EditorSetting } from './setting'
import type { ShowValue } from './show-value'

const VERBS = { created: 'added', changed: 'changed', deleted: 'deleted' } as const

interface Props {
  readonly found: Found
  readonly line: Line | undefined
  readonly lines: readonly Line[]
  readonly shown: ShowValue
  readonly onSample: (id: RecordId) => void
  readonly onJump: (finding: Finding) => void
  readonly document: Workflow
  readonly setting: EditorSetting
  readonly wording: Wording
  readonly table: TableDef | undefined
  readonly put: (path: string, value: unknown) => void
  readonly rehearsal: Rehearsing
  /** A trial that is armed, or was run. */
  readonly trial: ReactNode
  /** How the examples fare. */
  readonly examples: ReactNode
  /** What the records of the table are called together. */
  readonly records: string
  /** What waits to have stayed so, and the last times of a timetable. */
  readonly standing?: ReactNode
}

/** The margin of a brief: what is to mend, and what the chosen line and the whole make of a past change. */
export function Margin(props: Props) {
  const { found, lines, onSample, onJump, document, rehearsal, trial, examples, records, standing } = props
  const { evidence, fault } = found
  if (fault) return <p role="alert">{fault}</p>
  return (
    <>
      <ToMend findings={found.review.filter(isToMend)} lines={lines} onJump={onJump} />
      {trial}
      {!evidence && <p className="font-serif text-lg text-muted">Choose a table, and past changes show here what the workflow would do.</p>}
      {evidence && document.cue.kind !== 'by hand' && (
        <RehearsalPanel rehearsal={rehearsal} table={records} usesGroups={usesOf(document, 'group').length > 0} onSample={onSample} />
      )}
      {evidence && evidence.changes > 0 && (
        <div aria-busy={found.busy} className={found.busy ? 'opacity-60 transition-opacity delay-300' : ''}>
          <OnPast {...props} evidence={evidence} />
        </div>
      )}
      {examples}
      {standing}
    </>
  )
}

/** What keeps it from going live; each leads to its line. */
function ToMend({ findings, lines, onJump }: { findings: readonly Finding[]; lines: readonly Line[]; onJump: (finding: Finding) => void }) {
  if (findings.length === 0) return null
  return (
    <section aria-label="To mend" className="mb-5">
      <h2 className="role-word mb-1 text-alarm">To mend</h2>
      <ul>
        {findings.map((f) => (
          <li key={f.path + f.message} className="border-rule border-t">
            <button type="button" className="grid w-full grid-cols-[2.5rem_minmax(0,1fr)] gap-2 py-1 text-left text-sm hover:underline" onClick={() => onJump(f)}>
              <span className="font-mono text-muted text-xs leading-5">{lineOf(f, lines)?.number}</span>
              {f.message}
            </button>
          </li>
        ))}
      </ul>
    </section>
  )
}

/** What the numbers beside the lines count. */
function noteOf({ standing, stays, since, changes, firings, days, samples }: Evidence): string {
  const isOfGroups = samples.some((s) => s.occasion)
  if (standing) return `Of ${counted(changes, isOfGroups ? 'group' : 'record')} as they are now, ${standing.fits.toLocaleString('en-GB')} ${standing.fits === 1 ? 'fits' : 'fit'}`
  const when = since
    ? `in the newest ${changes.toLocaleString('en-GB')} changes; those of ${days} days are being counted`
    : `in the last ${days} days, of ${counted(changes, 'change')}`
  const past = `${counted(firings, stays ? 'becoming true' : 'firing', stays ? 'becomings true' : 'firings')} ${when}`
  return stays ? `${past}; ${stays.stayed} stayed so, ${stays.broken} were broken, ${stays.waiting} still wait` : past
}

function OnPast({ found, evidence, line, lines, shown, onSample, document, setting, wording, table, put, rehearsal }: Props & { evidence: Evidence }) {
  const chosen = evidence.samples.find((s) => s.id === evidence.sample)
  const isCrossing = document.cue.kind === 'figure'
  const needs = lines.filter((l) => l.kind === 'clause' && found.review.some((f) => isToMend(f) && f.path.startsWith(`${l.path}/value`))).map((l) => `${l.number} needs a value`)
  return (
    <>
      <MarginTitle note={noteOf(evidence)}>{line ? `Line ${line.number} · ${line.words}` : 'What it would do'}</MarginTitle>
      {line && !evidence.standing && (line.kind === 'clause' || line.kind === 'conditions') && line.path.startsWith('/conditions') && (
        <AtLine document={document} path={line.path} table={table} setting={setting} wording={wording} shown={shown} onSample={onSample} put={put} />
      )}
      {line?.kind === 'action' && <Reached line={line} rehearsal={rehearsal.answer} />}
      <div className="mb-4 border-rule border-y py-2">
        <span className="text-muted text-xs">{evidence.standing ? 'On' : isCrossing ? 'When it went from' : 'On the change of'}</span>
        <Choice
          label="On the change of"
          value={evidence.sample === null ? null : String(evidence.sample)}
          options={evidence.samples.map((s) =>
            evidence.standing
              ? { value: String(s.id), label: s.title, note: s.fires ? 'fits' : 'does not' }
              : { value: String(s.id), label: isCrossing ? s.title : `${s.title}, ${VERBS[s.kind]}`, note: s.fires ? 'fires' : 'does not' },
          )}
          onChange={(id) => onSample(evidence.samples.find((s) => String(s.id) === id)?.id ?? id)}
        />
        {chosen && !evidence.standing && (
          <p className="text-muted text-xs">
            <Time at={chosen.at} />
            {Number(chosen.id) > 0 && (
              <Link href={changePath(chosen.id, isCrossing ? null : document.table)} className="pl-3">
                {isCrossing ? 'the change that moved it' : 'why'}
              </Link>
            )}
          </p>
        )}
      </div>
      {evidence.fault && <p role="alert">The run would fail: {evidence.fault}</p>}
      {evidence.plan && !evidence.fault && <PlanTold plan={evidence.plan} preview={evidence.preview} lines={lines} line={line} shown={shown} needs={needs} />}
    </>
  )
}

interface ToldProps {
  readonly plan: ShownPlan
  /** Where it does not fire: what would come of it if it did. */
  readonly preview: ShownPlan | null
  readonly line: Line | undefined
  readonly lines: readonly Line[]
  readonly shown: ShowValue
  /** What lines still need before it can be decided. */
  readonly needs?: readonly string[]
}

/** What a workflow makes of a change: whether it fires and why, each clause with its values, and what comes of it. */
export function PlanTold({ plan, preview, line, lines, shown, needs = [] }: ToldProps) {
  const numberOf = (path: string) => lines.find((l) => l.path === path)?.number
  return (
    <>
      <p className={`mb-2 font-serif text-lg leading-snug ${plan.fires ? 'text-calm' : 'text-muted'}`}>
        {plan.fires ? 'It fires. ' : 'It does not fire. '}
        <span className="text-ink">{needs.length ? `${needs.join(', ')}.` : plan.why}</span>
      </p>
      <ul className="mb-4">
        {plan.clauses.map((c) => (
          <li key={c.path} className="grid grid-cols-[2.5rem_minmax(0,1fr)_auto] gap-2 border-rule border-t py-1 text-sm">
            <span className="font-mono text-muted text-xs">{numberOf(c.path)}</span>
            <span className="min-w-0">
              <span className="block font-serif text-base leading-snug">{lines.find((l) => l.path === c.path)?.words ?? c.field.replaceAll('.', ' › ')}</span>
              {c.before !== c.after && c.before !== null ? <span className="text-muted">{shown(c.field, c.before)} → </span> : null}
              {shown(c.field, c.after)}
            </span>
            <span className={c.holds ? 'text-calm' : 'text-alarm'}>{c.holds ? 'holds' : 'does not hold'}</span>
          </li>
        ))}
      </ul>
      {plan.fires ? (
        <Outcome plan={plan} line={line} numberOf={numberOf} shown={shown} />
      ) : (
        preview && (
          <>
            <p className="role-word mb-2 text-muted">If it did fire</p>
            <Outcome plan={preview} line={line} numberOf={numberOf} shown={shown} />
          </>
        )
      )}
    </>
  )
}

/** What comes of the sample: what is brought in, the mail, the notices and the writes; the chosen line's own first. */
function Outcome({ plan, line, numberOf, shown }: Pick<ToldProps, 'plan' | 'line' | 'shown'> & { numberOf: (path: string) => string | undefined }) {
  const own = (path: string) => (line && (path === line.path || path.startsWith(`${line.path}/`)) ? 0 : 1)
  const messages = [...plan.messages].sort((a, b) => own(a.path) - own(b.path))
  const facts = [
    ...plan.held.map((h) => ({
      path: h.path,
      text: `${h.name}: ${h.kind === 'list' ? `${h.count} in all: ` : ''}${h.shown.join(', ') || 'blank'}${h.count > h.shown.length ? ' …' : ''}`,
    })),
    ...plan.notices.map((n) => ({ path: n.path, text: `notice to ${[n.channel, ...n.to].filter(Boolean).join(', ')}: ${n.title || n.text}` })),
    ...plan.updates.map((u) => ({ path: u.path, text: `sets ${differenceWords(u, shown)}` })),
    ...plan.creates.map((c) => ({
      path: c.path,
      text: `creates in ${c.table.replaceAll('_', ' ')}: ${Object.entries(c.set)
        .map(([name, value]) => `${name.replaceAll('_', ' ')} ${shown(name, value, c.table)}`)
        .join(', ')}`,
    })),
    ...plan.tasks.map((t) => ({ path: t.path, text: `task “${t.subject}” for ${t.owner ?? 'nobody'}${t.due ? `, due ${t.due}` : ''}` })),
  ]
  return (
    <>
      {facts.length > 0 && (
        <ul className="mb-4">
          {facts.map((f, i) => (
            <li key={i} className="grid grid-cols-[2.5rem_minmax(0,1fr)] gap-2 border-rule border-t py-1 text-sm">
              <span className="font-mono text-muted text-xs">{numberOf(f.path)}</span>
              <span className={own(f.path) === 0 ? 'font-semibold' : ''}>{f.text}</span>
            </li>
          ))}
        </ul>
      )}
      {messages.slice(0, 4).map((m, i) => (
        <Preview key={i} message={m} />
      ))}
      {messages.length > 4 && <p className="mb-3 text-muted text-sm">and {counted(messages.length - 4, 'mail')} more</p>}
      {plan.notes.map((n) => (
        <p key={n.path + n.message} className="border-rule border-t py-1 text-rope text-sm">
          {n.message}
        </p>
      ))}
    </>
  )
}

/** The fields that an update sets, each with what it holds before and after. */
function differenceWords({ table, set, was }: ShownPlan['updates'][number], shown: ShowValue): string {
  return Object.entries(set)
    .map(([name, value]) => `${name.replaceAll('_', ' ')} from ${shown(name, was[name], table)} to ${shown(name, value, table)}`)
    .join(', ')
}
