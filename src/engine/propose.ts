import { setImmediate } from 'node:timers/promises'
import type { Wording } from '@/core/conditions/sentence'
import { cueWords } from '@/core/cues/kinds'
import { type Clause, type Condition, together } from '@/core/document/condition'
import type { Workflow } from '@/core/document/document'
import { must } from '@/core/must'
import type { Marks } from '@/core/propose/candidates'
import { narrowBy } from '@/core/propose/narrow'
import { type Proposal, propose } from '@/core/propose/propose'
import { capital } from '@/core/values/naming'
import type { TableDef } from '@/core/values/tables'
import { conditionWords } from '@/core/words/brief'
import type { Surroundings } from '@/core/workflow/surroundings'
import type { Queryable } from '@/store/database'
import { readWorkflowRow } from '@/store/workflows'
import { lookThrough, type MarksAsked, type PastRead, readPast } from './propose-past'

/** A proposal as it is told. */
export interface ToldProposal {
  /** What it waits for, with the conditions, as parts of a workflow document. */
  readonly cue: Workflow['cue']
  readonly conditions: Condition | null
  readonly firing: 'entering' | 'every'
  readonly sentence: string
  /** How many changes of those that were looked at it fires for. */
  readonly firings: number
  /** How many changes are alive at each line of its brief, by JSON Pointer. */
  readonly alive: Readonly<Record<string, number>>
  /** Of a clause to be added to a workflow: the clause, and how many of its firings would go, those marked no among them. */
  readonly added?: Clause
  readonly goes?: number
  /** A change that is not marked, for which this alone of the proposals fires, or does not. */
  readonly ask?: number
}

/** What marks came to. */
export interface ToldProposals {
  readonly proposals: readonly ToldProposal[]
  /** The change to be asked about next: the one by which most is told; null where what is left fires for the same. */
  readonly ask: number | null
  readonly contradictions: readonly (readonly [number, number])[]
  /** Changes that were looked at. */
  readonly changes: number
  /** What is to be said of the marks, in sentences. */
  readonly said: readonly string[]
}

/** Most changes that may be marked. */
export const MOST_MARKED = 500

/**
 * Proposes conditions that agree with marks on recorded changes, each looked at with the records that it linked to as they stood. Nothing is sent or written.
 * @throws the signal's reason where it was called off before it was begun
 */
export async function proposeFrom(db: Queryable, asked: MarksAsked, surroundings: Surroundings, wording: Wording, signal?: AbortSignal): Promise<ToldProposals> {
  const { table, yes, no, within } = asked
  const said: string[] = []
  const both = yes.filter((id) => no.includes(id))
  if (both.length) return { proposals: [], ask: null, contradictions: both.map((id) => [id, id] as const), changes: 0, said: ['The same change is marked yes and no.'] }
  const past = await readPast(db, asked, surroundings)
  await setImmediate() // a newer question may have called this one off meanwhile
  signal?.throwIfAborted()
  const { changes, observed, placeOf } = past
  const marks = { yes: placesOf(yes, placeOf), no: placesOf(no, placeOf) }
  const gone = yes.length + no.length - marks.yes.length - marks.no.length
  if (gone)
    said.push(
      `${gone === 1 ? 'One marked change is' : `${gone} marked changes are`} not in the log of ${table.label} any more, or of another table, and ${gone === 1 ? 'was' : 'were'} left out.`,
    )
  if (within !== undefined) return narrowed(db, past, marks, asked, wording, said)
  if (marks.yes.length === 0) {
    lookThrough(past)
    return { proposals: [], ask: null, contradictions: [], changes: changes.length, said: [...said, 'Mark at least one change that should have told somebody.'] }
  }
  if (marks.yes.length === 1) said.push('Only one change is marked yes: what is proposed may be about it alone. Mark another like it.')
  if (marks.no.length === 0) said.push('No change is marked no: mark one that should not have told anybody, and the proposals get narrower.')
  const { proposals, ask, alike } = propose(observed, marks)
  const idAt = (place: number) => must(changes[place]).id
  const marked = new Set([...marks.yes, ...marks.no])
  const fired = proposals.map((proposal) => new Set(proposal.fires))
  if (proposals.length === 0)
    said.push(
      alike.length
        ? 'Changes that are marked differently differ in nothing that is recorded and that conditions can tell.'
        : 'No conditions of up to three clauses agree with every mark. Take one back, or make the workflow by hand.',
    )
  return {
    proposals: proposals.map((proposal, k) => {
      const telling = changes.findLastIndex((_, i) => !marked.has(i) && fired.length > 1 && fired.every((fires, other) => other === k || fires.has(i) !== fired[k]?.has(i)))
      return { ...told(proposal, table, wording), ...(telling >= 0 ? { ask: idAt(telling) } : {}) }
    }),
    ask: ask === null ? null : idAt(ask),
    contradictions: alike.map(([a, b]) => [idAt(a), idAt(b)] as const),
    changes: changes.length,
    said,
  }
}

/** Clauses to be added to a workflow, so that it does not fire for what is marked no. */
async function narrowed(db: Queryable, { changes, observed }: PastRead, marks: Marks, { table, within }: MarksAsked, wording: Wording, said: string[]): Promise<ToldProposals> {
  const bare = { ask: null, contradictions: [], changes: changes.length }
  if (marks.no.length === 0) return { proposals: [], ...bare, said: [...said, `Mark a change no for which ${within} should not have fired.`] }
  const document = (await readWorkflowRow(db, within ?? ''))?.draft
  if (!document) return { proposals: [], ...bare, said: [`There is no workflow called ${within}.`] }
  const found = narrowBy(observed, marks)
  if (found.length === 0) said.push('No single clause keeps what is marked yes and leaves out what is marked no. Mark less, or change the workflow by hand.')
  const proposals = found.map(({ clause, goes }): ToldProposal => {
    const other = goes.findLast((i) => !marks.no.includes(i))
    return {
      cue: document.cue,
      conditions: together(document.conditions, [clause]),
      firing: document.firing ?? 'entering',
      sentence: `${capital(conditionWords(clause, table, wording))}.`,
      firings: changes.length - goes.length,
      alive: {},
      added: clause,
      goes: goes.length,
      ...(other === undefined ? {} : { ask: must(changes[other]).id }),
    }
  })
  return { proposals, ...bare, said }
}

const placesOf = (ids: readonly number[], placeOf: ReadonlyMap<number, number>) => [...new Set(ids)].flatMap((id) => placeOf.get(id) ?? [])

function told({ on, firing, condition, fires, alive }: Proposal, table: TableDef, wording: Wording): ToldProposal {
  const cue: Workflow['cue'] = { kind: 'record', on: [...on] }
  const when = cueWords({ cue }, table, wording)
  return {
    cue,
    conditions: condition && ('all' in condition ? condition : { all: [condition] }),
    firing,
    sentence: `${capital(when)}${condition ? `: ${conditionWords(condition, table, wording)}` : ''}${firing === 'every' ? ', at every change' : ''}.`,
    firings: fires.length,
    alive,
  }
}
