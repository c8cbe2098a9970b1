import type { ClauseResult } from '@/core/conditions/compile'
import type { Wording } from '@/core/conditions/sentence'
import { checkPath } from '@/core/paths/path'
import { formatStored } from '@/core/values/format'
import { fieldOf, recordPath, type Stored, type TableDef, targetOf } from '@/core/values/tables'
import type { Line } from '@/core/words/brief'
import type { Write } from '@/core/workflow/plan'
import type { Trace as TraceData } from '@/store/runs'
import { BriefSheet, StaticLine } from '../brief/sheet'
import Link from '../parts/link'

interface Props {
  readonly lines: readonly Line[]
  readonly trace: TraceData
  readonly table: TableDef
  readonly setting: Wording
  readonly titles: ReadonlyMap<string, string>
}

/** The brief of the version that ran, each line with what it looked at or did. */
export function Trace({ lines, trace, table, setting, titles }: Props) {
  return (
    <BriefSheet label="The brief, with what the run saw">
      {lines.map((line) => (
        <StaticLine key={line.path} line={line}>
          <Outcome line={line} trace={trace} table={table} setting={setting} titles={titles} />
        </StaticLine>
      ))}
    </BriefSheet>
  )
}

/** What a run saw or did at a line. */
export function Outcome({ line, trace, table, setting, titles }: Omit<Props, 'lines'> & { line: Line }) {
  if (line.kind === 'clause') {
    const clause = trace.clauses.find((c) => c.path === line.path)
    return clause ? <ClauseOutcome clause={clause} table={table} setting={setting} titles={titles} /> : null
  }
  if (line.kind !== 'action' && line.kind !== 'branch' && line.kind !== 'limit') return null
  const isWhole = !trace.clauses.some((c) => c.path.startsWith(`${line.path}/`)) && !linesWithin(line)
  const messages = trace.messages.filter((m) => m.path === line.path)
  const notes = trace.notes.filter((n) => n.path === line.path || (isWhole && n.path.startsWith(`${line.path}/`)))
  const writes = (trace.writes ?? []).filter((w) => w.path === line.path)
  const notices = (trace.notices ?? []).filter((n) => n.path === line.path)
  return (
    <ul className="text-sm">
      {messages.map((m) => (
        <li key={m.subject + m.to.join()}>
          <span className="text-calm">To {m.to.join(', ')}</span>
          {m.cc.length > 0 && <span className="text-muted">, copy to {m.cc.join(', ')}</span>}
        </li>
      ))}
      {writes.map((w) => (
        <li key={JSON.stringify(w)} className="text-calm">
          {w.do === 'create' ? 'Created with' : 'Set'} {writeWords(w, setting, titles)}{' '}
          <Link href={recordPath(w.table, w.do === 'create' ? w.image.id : w.id)} className="underline">
            open
          </Link>
        </li>
      ))}
      {notices.map((n) => (
        <li key={n.title + n.text} className="text-calm">
          {[n.channel, ...n.to].filter(Boolean).join(', ')}: {n.title || n.text}
        </li>
      ))}
      {notes.map((n) => (
        <li key={n.path + n.message} className="text-rope">
          {n.message}
        </li>
      ))}
    </ul>
  )
}

/** What a write set, field by field; an update from what to what. Runs of earlier versions do not know what was there before. */
function writeWords(write: Write, setting: Wording, titles: ReadonlyMap<string, string>): string {
  const table = setting.schema.get(write.table)
  const words = (name: string, value: Stored | undefined) => {
    const field = table && fieldOf(table, name)
    const target = field && targetOf(field)
    if (target && value) return titles.get(`${target} ${value}`) ?? `${target} ${value}`
    return (field ? formatStored(field.type, value, setting.organisation) : String(value ?? '')) || 'blank'
  }
  const was = write.do === 'update' ? write.was : undefined
  return Object.entries(write.set)
    .filter(([, value]) => was || (value !== null && value !== ''))
    .map(([name, value]) => `${name.replaceAll('_', ' ')}${was ? ` from ${words(name, was[name])} to` : ''} ${words(name, value)}`)
    .join(', ')
}

/** Whether a line has lines of its own under it, which then carry their own outcomes. */
function linesWithin(line: Line): boolean {
  return line.role === 'choose' || line.role === 'each' || line.kind === 'branch'
}

/** The values a clause looked at, in words, and whether it held. */
export function ClauseOutcome({ clause, table, setting, titles }: { clause: ClauseResult; table: TableDef; setting: Wording; titles: ReadonlyMap<string, string> }) {
  const checked = checkPath(setting.schema, table, clause.field)
  const words = (value: Stored) => {
    if (value === null || 'problem' in checked) return value === null ? 'blank' : String(value)
    const target = targetOf(checked.field)
    return target ? (titles.get(`${target} ${value}`) ?? `${target} ${value}`) : formatStored(checked.field.type, value, setting.organisation) || 'blank'
  }
  const moved = clause.before !== clause.after
  return (
    <p className="text-sm">
      <span className={`font-semibold ${clause.holds ? 'text-calm' : 'text-alarm'}`}>{clause.holds ? 'held' : 'did not hold'}</span>{' '}
      <span className="text-muted">
        it was {moved && clause.before !== null ? `${words(clause.before)}, then ` : ''}
        {words(clause.after ?? clause.before)}
      </span>
    </p>
  )
}
