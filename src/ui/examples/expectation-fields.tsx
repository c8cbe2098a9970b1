'use client'

import type { ReactNode } from 'react'
import type { Expectation } from '@/core/document/document'
import { expectationOf, type Outcome } from '@/core/examples/judge'

interface Props {
  readonly expect: Expectation
  /** What came of it now, from which each part can be taken. */
  readonly outcome: Outcome
  readonly onChange: (expect: Expectation) => void
  /** A value of a field, as people read it. */
  readonly shown: (field: string, value: unknown) => string
}

/** What must come of an example, part by part: what is not ticked may be anything. */
export function ExpectationFields({ expect, outcome, onChange, shown }: Props) {
  const found = expectationOf(outcome)
  const put = (part: Partial<Expectation>) => onChange(without({ ...expect, ...part }))
  if (!expect.fires)
    return (
      <Part label="It does not fire" on fixed>
        <span className="text-muted">whatever else there is</span>
      </Part>
    )
  return (
    <div>
      <Part label="It fires" on fixed />
      {(found.to || expect.to) && (
        <Part label="Mail goes to" on={expect.to !== undefined} onToggle={(on) => put({ to: on ? (found.to ?? []) : undefined })}>
          <textarea
            aria-label="Mail goes to, one address a line"
            rows={Math.min(6, expect.to?.length ?? 1)}
            className="blank-line"
            value={expect.to?.join('\n') ?? ''}
            onChange={(e) => put({ to: e.target.value.split(/[\n,;]/).map((a) => a.trim()) })}
            onBlur={() => put({ to: expect.to?.filter(Boolean) })}
          />
        </Part>
      )}
      {(found.subject !== undefined || expect.subject !== undefined) && (
        <Part label="A subject contains" on={expect.subject !== undefined} onToggle={(on) => put({ subject: on ? (found.subject ?? '') : undefined })}>
          <input aria-label="A subject contains" className="blank-line" value={expect.subject ?? ''} onChange={(e) => put({ subject: e.target.value })} />
        </Part>
      )}
      {(outcome.messages.length > 0 || expect.bodyHas) && (
        <Part
          label="A body contains"
          on={expect.bodyHas !== undefined}
          onToggle={(on) => put({ bodyHas: on ? [firstWords(outcome.messages[0]?.text ?? '')].filter(Boolean) : undefined })}
        >
          <textarea
            aria-label="A body contains, one thing a line"
            rows={Math.min(4, expect.bodyHas?.length ?? 1)}
            className="blank-line"
            value={expect.bodyHas?.join('\n') ?? ''}
            onChange={(e) => put({ bodyHas: e.target.value.split('\n') })}
            onBlur={() => put({ bodyHas: expect.bodyHas?.filter((w) => w.trim() !== '') })}
          />
        </Part>
      )}
      {[...new Set([...Object.keys(found.set ?? {}), ...Object.keys(expect.set ?? {})])].map((name) => (
        <Part
          key={name}
          label={`${name.replaceAll('_', ' ')} is set`}
          on={expect.set !== undefined && name in expect.set}
          onToggle={(on) => put({ set: on ? { ...expect.set, [name]: found.set?.[name] ?? null } : omit(expect.set ?? {}, name) })}
        >
          <span>to {shown(name, expect.set && name in expect.set ? expect.set[name] : found.set?.[name])}</span>
        </Part>
      ))}
      <Listed label="Created in" found={found.created} expected={expect.created} onChange={(created) => put({ created })} />
      <Listed label="In the trace" found={found.notes} expected={expect.notes} onChange={(notes) => put({ notes })} />
    </div>
  )
}

/** Things that are each expected or not. */
function Listed({ label, found, expected, onChange }: { label: string; found?: string[]; expected?: string[]; onChange: (value: string[] | undefined) => void }) {
  const all = [...new Set([...(found ?? []), ...(expected ?? [])])]
  return all.map((name) => (
    <Part
      key={name}
      label={label}
      on={expected?.includes(name) ?? false}
      onToggle={(on) => onChange(on ? [...(expected ?? []), ...(found ?? [name]).filter((f) => f === name)] : (expected ?? []).filter((n) => n !== name))}
    >
      <span>
        {name.replaceAll('_', ' ')}
        {(found?.filter((f) => f === name).length ?? 0) > 1 && `, ${found?.filter((f) => f === name).length} times`}
      </span>
    </Part>
  ))
}

function Part({ label, on, fixed, onToggle, children }: { label: string; on: boolean; fixed?: boolean; onToggle?: (on: boolean) => void; children?: ReactNode }) {
  return (
    <div className="grid min-h-8 grid-cols-[11rem_minmax(0,1fr)] items-start gap-4 border-rule border-t py-1">
      <label className="flex items-baseline gap-2 py-0.5">
        <input type="checkbox" className="accent-spruce" checked={on} disabled={fixed} onChange={(e) => onToggle?.(e.target.checked)} />
        {label}
      </label>
      {(on || fixed) && <div className="min-w-0">{children}</div>}
    </div>
  )
}

/** The first line of a text, as far as it is likely to stay. */
function firstWords(text: string): string {
  return (
    text
      .split('\n')
      .find((line) => line.trim() !== '')
      ?.trim()
      .slice(0, 80) ?? ''
  )
}

function omit(set: Record<string, unknown>, name: string): Record<string, unknown> | undefined {
  const rest = Object.fromEntries(Object.entries(set).filter(([n]) => n !== name))
  return Object.keys(rest).length ? rest : undefined
}

/** The same without what nothing is expected of. */
function without(expect: Expectation): Expectation {
  const isSaid = ([, value]: [string, unknown]) => value !== undefined && !(Array.isArray(value) && value.length === 0)
  return Object.fromEntries(Object.entries(expect).filter(isSaid)) as unknown as Expectation
}
