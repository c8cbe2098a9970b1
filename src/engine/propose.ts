import type { Change } from '@/core/changes/change'
import type { Wording } from '@/core/conditions/sentence'
import { cueWords } from '@/core/cues/kinds'
import { type Clause, type Condition, together } from '@/core/document/condition'
import type { Workflow } from '@/core/document/document'
import { must } from '@/core/must'
import { Beside } from '@/core/propose/beside'
import type { Marks } from '@/core/propose/candidates'
import { narrowBy } from '@/core/propose/narrow'
import { type Observation, Observed } from '@/core/propose/observed'
import { type Proposal, propose } from '@/core/propose/propose'
import { capital } from '@/core/values/naming'
import { type Image, idFrom, type RecordId, type TableDef, targetOf } from '@/core/values/tables'
import { conditionWords } from '@/core/words/brief'
import type { Surroundings } from '@/core/workflow/surroundings'
import { latestChanges, withChanges } from '@/store/changes'
import type { Queryable } from '@/store/database'
import { changesFiredFor } from '@/store/runs'
import { readWorkflowRow } from '@/store/workflows'
import { Past } from './rehearsal/past'

/** Marks on past changes, by their ids, and how far back others are looked at. */
export interface MarksAsked {
  readonly table: TableDef
  readonly yes: readonly number[]
  readonly no: readonly number[]
  readonly days: number
  /** The name of a workflow that is to fire for less: changes that it fired for are looked at, and clauses to be added to it proposed. */
  readonly within?: string
}

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

/** Most firings of a workflow that are looked at, the newest. */
const MOST_FIRED = 2_000

/** Most changes that are looked at, the newest, and most that may be marked. */
const MOST_CHANGES = 20_000
export const MOST_MARKED = 500

/** Proposes conditions that agree with marks on recorded changes, each looked at with the records that it linked to as they stood. Nothing is sent or written. */
export async function proposeFrom(db: Queryable, asked: MarksAsked, surroundings: Surroundings, wording: Wording): Promise<ToldProposals> {
  const { table, yes, no, within } = asked
  const said: string[] = []
  const both = yes.filter((id) => no.includes(id))
  if (both.length) return { proposals: [], ask: null, contradictions: both.map((id) => [id, id] as const), changes: 0, said: ['The same change is marked yes and no.'] }
  const changes = await readMarked(db, asked, surroundings)
  const placeOf = new Map(changes.map((change, i) => [change.id, i]))
  const marks = { yes: placesOf(yes, placeOf), no: placesOf(no, placeOf) }
  const gone = yes.length + no.length - marks.yes.length - marks.no.length
  if (gone)
    said.push(
      `${gone === 1 ? 'One marked change is' : `${gone} marked changes are`} not in the log of ${table.label} any more, or of another table, and ${gone === 1 ? 'was' : 'were'} left out.`,
    )
  if (within !== undefined) return narrowed(db, changes, marks, asked, surroundings, wording, said)
  if (marks.yes.length === 0)
    return { proposals: [], ask: null, contradictions: [], changes: changes.length, said: [...said, 'Mark at least one change that should have told somebody.'] }
  if (marks.yes.length === 1) said.push('Only one change is marked yes: what is proposed may be about it alone. Mark another like it.')
  if (marks.no.length === 0) said.push('No change is marked no: mark one that should not have told anybody, and the proposals get narrower.')
  const observed = new Observed(table, surroundings, await withLinked(db, changes, table, surroundings))
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
async function narrowed(
  db: Queryable,
  changes: readonly Change[],
  marks: Marks,
  { table, within }: MarksAsked,
  surroundings: Surroundings,
  wording: Wording,
  said: string[],
): Promise<ToldProposals> {
  const bare = { ask: null, contradictions: [], changes: changes.length }
  if (marks.no.length === 0) return { proposals: [], ...bare, said: [...said, `Mark a change no for which ${within} should not have fired.`] }
  const document = (await readWorkflowRow(db, within ?? ''))?.draft
  if (!document) return { proposals: [], ...bare, said: [`There is no workflow called ${within}.`] }
  const observed = new Observed(table, surroundings, await withLinked(db, changes, table, surroundings))
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

/** The newest changes of a table, and the marked ones that are older, in order. */
async function readMarked(db: Queryable, { table, yes, no, days, within }: MarksAsked, { schema }: Surroundings): Promise<Change[]> {
  const from = Date.now() - days * 86_400_000
  const newest =
    within === undefined
      ? (await latestChanges(db, schema, table.name, null, MOST_CHANGES)).filter((change) => change.at.getTime() >= from)
      : await changesFiredFor(db, schema, table.name, within, MOST_FIRED)
  return withChanges(db, schema, table.name, newest, [...yes, ...no])
}

/** Changes with the records that they link to, as they stood at the end of each one's transaction. */
async function withLinked(db: Queryable, changes: readonly Change[], table: TableDef, surroundings: Surroundings): Promise<Observation[]> {
  const links = table.fields.flatMap((field) => {
    const target = targetOf(field)
    return target ? [{ field: field.name, target }] : []
  })
  const past = new Past(db, { setting: surroundings, dry: true })
  const beside = await past.ask(
    changes.map((change) => ({
      change,
      at: change.at,
      ask: (lookups) =>
        [change.before, change.after].flatMap((image) =>
          links.flatMap(({ field, target }): [string, RecordId, Image | null][] => {
            const id = idFrom(image?.[field])
            return id === null ? [] : [[target, id, lookups.record(target, id)]]
          }),
        ),
    })),
  )
  return changes.map((change, i) => ({ change, lookups: new Beside(beside[i] ?? []) }))
}

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
