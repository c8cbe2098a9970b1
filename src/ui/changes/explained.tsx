import type { Change } from '@/core/changes/change'
import type { Wording } from '@/core/conditions/sentence'
import type { Workflow } from '@/core/document/document'
import type { Note } from '@/core/recipients/recipients'
import type { TableDef } from '@/core/values/tables'
import { briefOf } from '@/core/words/brief'
import type { Plan } from '@/core/workflow/plan'
import type { Trace as TraceData } from '@/store/runs'
import Link from '../parts/link'
import { MarginTitle } from '../parts/page'
import { Trace } from '../runs/trace'

interface Props {
  readonly name: string
  readonly why: {
    readonly document: Workflow
    readonly state: string
    readonly settled: { readonly plan: Plan } | { readonly fault: string }
    readonly run: { readonly notes: readonly Note[] } | null
  }
  readonly change: Change
  readonly table: TableDef
  readonly wording: Wording
  readonly titles: ReadonlyMap<string, string>
}

/** A workflow's brief with what each line saw in a change, and in a sentence why it fired or did not. */
export function Explained({ name, why, change, table, wording, titles }: Props) {
  const { settled, document, state, run } = why
  return (
    <>
      <MarginTitle note={`${state} Linked records, lists, people and teams as they stood then; groups as they are now.`}>{name}</MarginTitle>
      {'fault' in settled ? (
        <p role="alert">The run would fail: {settled.fault}</p>
      ) : (
        <>
          <p className={`my-2 font-serif text-lg leading-snug ${settled.plan.fires ? 'text-calm' : ''}`}>{settled.plan.why}</p>
          <Trace lines={briefOf(document, wording)} trace={traceOf(settled.plan, change, run?.notes ?? [])} table={table} setting={wording} titles={titles} />
        </>
      )}
      <p className="pt-2 text-sm">
        <Link href={`/workflows/${encodeURIComponent(name)}`}>Open the brief</Link>
      </p>
    </>
  )
}

/** A plan as the trace of a run shows it, with what its workflow's limits made of it then. */
function traceOf(plan: Plan, change: Change, limited: readonly Note[]): TraceData {
  const addresses = (list: readonly { address: string }[]) => list.map((r) => r.address)
  return {
    change: { ...change, at: change.at.toISOString() },
    clauses: plan.clauses,
    messages: plan.messages.map((m) => ({ action: m.action, path: m.path, subject: m.subject, to: addresses(m.to), cc: addresses(m.cc), bcc: addresses(m.bcc) })),
    notes: [...plan.notes, ...limited],
    writes: plan.writes,
    notices: plan.notices,
  }
}
