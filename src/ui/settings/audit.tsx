'use client'

import { isDay } from '@/core/values/dates'
import { useAddress } from '../parts/address'
import { Choice } from '../parts/choice'
import { DateField } from '../parts/date-field'
import { Time } from '../parts/time'

/** A line of the audit log as it is shown. */
export interface AuditLine {
  readonly id: number
  readonly at: string
  readonly by: string
  /** How they came: a person, a token, or the system itself. */
  readonly kind: string
  readonly caller: string | null
  readonly what: string
  readonly subject: string
  readonly details: Readonly<Record<string, unknown>>
}

export interface AuditAsked {
  readonly text?: string
  readonly what?: string
  readonly from?: string
  readonly to?: string
}

const ANY = '\u0000any'

/** Searches the audit log; what is searched by lives in the address, and what is found can be kept as a file. */
export function AuditFilters({ asked, deeds }: { asked: AuditAsked; deeds: readonly string[] }) {
  const { go } = useAddress('/settings/audit', { ...asked })
  const query = new URLSearchParams(Object.entries(asked).filter((e): e is [string, string] => Boolean(e[1])))
  return (
    <div className="mb-4 flex flex-wrap items-end gap-x-6 gap-y-2">
      <form
        className="w-60"
        onSubmit={(e) => {
          e.preventDefault()
          go({ text: String(new FormData(e.currentTarget).get('text') ?? '') })
        }}
      >
        <input
          key={asked.text}
          aria-label="Search the audit log"
          name="text"
          placeholder="who, what, or from where, Enter"
          className="blank-line"
          defaultValue={asked.text ?? ''}
        />
      </form>
      <div className="w-56">
        <Choice
          label="Deed"
          value={asked.what || ANY}
          options={[{ value: ANY, label: 'any deed' }, ...deeds.map((d) => ({ value: d, label: d }))]}
          onChange={(value) => go({ what: value === ANY ? '' : value })}
        />
      </div>
      <DateField label="From the day" className="blank-line w-28" value={asked.from ?? ''} onChange={(day) => (day === '' || isDay(day)) && go({ from: day })} />
      <DateField label="To the day" className="blank-line w-28" value={asked.to ?? ''} onChange={(day) => (day === '' || isDay(day)) && go({ to: day })} />
      <a href={`/api/v1/audit/export?${query}`} className="ml-auto text-sm">
        Export as JSON Lines
      </a>
    </div>
  )
}

/** The audit log's lines, the newest first: when, who, what, and what changed. */
export function AuditList({ lines, locale, zone }: { lines: readonly AuditLine[]; locale: string; zone: string }) {
  return (
    <ol aria-label="Audit log" className="border-rule border-b">
      {lines.map((line) => (
        <li key={line.id} className="grid grid-cols-[7rem_minmax(0,1fr)_minmax(0,1.1fr)_minmax(0,1.8fr)] items-baseline gap-4 border-rule border-t py-1.5">
          <span className="text-muted text-sm">
            <Time at={line.at} locale={locale} zone={zone} />
          </span>
          <span className="min-w-0">
            <span className="block truncate">{line.kind === 'system' ? <span className="text-muted">{systemWords(line.by)}</span> : line.by}</span>
            <span className="block truncate text-muted text-xs">
              {line.kind === 'token' && 'a token'}
              {line.kind === 'token' && line.caller && ', '}
              {line.caller && `from ${line.caller}`}
            </span>
          </span>
          <span className="min-w-0">
            <span className="block">{line.what}</span>
            <span className="block truncate text-muted text-sm">{line.subject}</span>
          </span>
          <Details details={line.details} />
        </li>
      ))}
    </ol>
  )
}

/** What changed, field by field: from what to what. */
function Details({ details }: Pick<AuditLine, 'details'>) {
  const entries = Object.entries(details)
  if (entries.length === 0) return <span />
  return (
    <dl className="flex min-w-0 flex-wrap gap-x-4 text-sm">
      {entries.map(([field, value]) => (
        <div key={field} className="flex min-w-0 max-w-full gap-1.5">
          <dt className="shrink-0 text-muted">{field === 'password_hash' ? 'password' : field.replaceAll('_', ' ')}</dt>
          <dd className="min-w-0 truncate" title={wordsOf(value)}>
            {wordsOf(value)}
          </dd>
        </div>
      ))}
    </dl>
  )
}

/** Who did what nobody signed in did: a stranger, or a program that writes to the database itself. */
const systemWords = (name: string) => (name === 'nobody' ? 'not signed in' : `the database user ${name}`)

function wordsOf(value: unknown): string {
  if (typeof value === 'object' && value !== null && ('from' in value || 'to' in value)) {
    const { from, to } = value as { from?: unknown; to?: unknown }
    return from === null || from === undefined ? plain(to) : `${plain(from)} → ${plain(to)}`
  }
  return plain(value)
}

const plain = (value: unknown) => (value === null || value === undefined ? '(blank)' : typeof value === 'string' ? value : JSON.stringify(value))
