'use client'

import type { Line } from '@/core/workflow/brief'
import { Choice } from '../parts/choice'
import { MarginTitle } from '../parts/page'
import { Time } from '../parts/time'
import { counted } from '../today/summary'
import type { Evidence, Found, ShownMessage } from './evidence'

/** A value at the end of a path, as people read it. */
export type ShowValue = (path: string, value: unknown) => string

const VERBS = { created: 'added', changed: 'changed', deleted: 'deleted' } as const

/** The margin of a brief: what the chosen line and the whole make of a past change. */
export function Margin({
  found,
  line,
  lines,
  shown,
  onSample,
}: {
  found: Found
  line: Line | undefined
  lines: readonly Line[]
  shown: ShowValue
  onSample: (id: number) => void
}) {
  const { evidence, fault } = found
  if (fault) return <p role="alert">{fault}</p>
  if (!evidence) return <p className="font-serif text-lg text-muted">Choose a table, and past changes show here what the workflow would do.</p>
  if (evidence.changes === 0) return <p className="font-serif text-lg text-muted">No change of this table is recorded yet, so there is nothing to try the workflow on.</p>
  const chosen = evidence.samples.find((s) => s.id === evidence.sample)
  return (
    <>
      <MarginTitle note={`${counted(evidence.firings, 'firing')} in the last ${counted(evidence.changes, 'change')}`}>
        {line ? `Line ${line.number} · ${line.words}` : 'What it would do'}
      </MarginTitle>
      <div className="mb-4 border-rule border-y py-2">
        <span className="text-muted text-xs">On the change of</span>
        <Choice
          label="On the change of"
          value={evidence.sample === null ? null : String(evidence.sample)}
          options={evidence.samples.map((s) => ({ value: String(s.id), label: `${s.title}, ${VERBS[s.kind]}`, note: s.fires ? 'fires' : 'does not' }))}
          onChange={(id) => onSample(Number(id))}
        />
        {chosen && (
          <p className="text-muted text-xs">
            <Time at={chosen.at} />
          </p>
        )}
      </div>
      <OnSample evidence={evidence} lines={lines} shown={shown} />
    </>
  )
}

function OnSample({ evidence, lines, shown }: { evidence: Evidence; lines: readonly Line[]; shown: ShowValue }) {
  const { plan } = evidence
  if (evidence.fault) return <p role="alert">The run would fail: {evidence.fault}</p>
  if (!plan) return null
  return (
    <>
      <p className={`mb-2 font-serif text-lg leading-snug ${plan.fires ? 'text-calm' : 'text-muted'}`}>
        {plan.fires ? 'It fires. ' : 'It does not fire. '}
        <span className="text-ink">{plan.why}</span>
      </p>
      <ul className="mb-4">
        {plan.clauses.map((c) => (
          <li key={c.path} className="grid grid-cols-[2.5rem_minmax(0,1fr)_auto] gap-2 border-rule border-t py-1 text-sm">
            <span className="font-mono text-muted text-xs">{lines.find((l) => l.path === c.path)?.number}</span>
            <span className="truncate">
              {c.field.replaceAll('.', ' › ')}: {c.before !== c.after && c.before !== null ? <span className="text-muted">{shown(c.field, c.before)} → </span> : null}
              {shown(c.field, c.after)}
            </span>
            <span className={c.holds ? 'text-calm' : 'text-alarm'}>{c.holds ? 'holds' : 'does not hold'}</span>
          </li>
        ))}
      </ul>
      {plan.messages.map((m, i) => (
        <Preview key={i} message={m} />
      ))}
      {plan.notes.map((n) => (
        <p key={n.path + n.message} className="border-rule border-t py-1 text-rope text-sm">
          {n.message}
        </p>
      ))}
    </>
  )
}

function Preview({ message }: { message: ShownMessage }) {
  return (
    <article className="mb-4 border border-rule border-t-2 border-t-spruce px-4 py-3">
      <p className="truncate text-muted text-sm" title={message.to.join(', ')}>
        To {message.to.join(', ')} · from {message.from.name}
      </p>
      {message.cc.length > 0 && <p className="truncate text-muted text-sm">Cc {message.cc.join(', ')}</p>}
      <h3 className="py-1 font-semibold">{message.subject}</h3>
      <p className="whitespace-pre-wrap break-words font-serif text-base leading-relaxed">{message.text}</p>
    </article>
  )
}
