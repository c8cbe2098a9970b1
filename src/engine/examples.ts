import type { Example, Saw, Workflow } from '@/core/document/document'
import { judge, outcomeOf } from '@/core/examples/judge'
import { type Group, type Need, needKey } from '@/core/paths/lookups'
import type { Image } from '@/core/values/tables'
import type { Plan } from '@/core/workflow/evaluate'
import type { Surroundings } from '@/core/workflow/surroundings'
import { loadNeedsAsOf, type Position, positionAt } from '@/store/as-of'
import type { Queryable } from '@/store/database'
import { loadNeeds } from '@/store/lookups'
import { readAsked } from './occasions/asked'
import type { Load } from './settle'
import { tryWorkflow } from './try'

/** How an example fared: what falls short of what was expected, as sentences; none where it passes. */
export interface ExampleOutcome {
  readonly name: string
  readonly passes: boolean
  readonly shortfalls: readonly string[]
  readonly plan: Plan | null
}

/** Runs every example of a workflow on its own clock and with linked data as it stood then. Nothing is sent or written. */
export async function runExamples(db: Queryable, workflow: Workflow, surroundings: Surroundings): Promise<ExampleOutcome[]> {
  const outcomes: ExampleOutcome[] = []
  for (const example of workflow.examples ?? []) outcomes.push(await runExample(db, workflow, example, surroundings))
  return outcomes
}

async function runExample(db: Queryable, workflow: Workflow, example: Example, surroundings: Surroundings): Promise<ExampleOutcome> {
  const failed = (shortfalls: string[], plan: Plan | null = null): ExampleOutcome => ({ name: example.name, passes: shortfalls.length === 0, shortfalls, plan })
  const table = surroundings.schema.get(workflow.table)
  if (!table) return failed([`There is no table ${workflow.table}.`])
  const at = example.asOf ? new Date(example.asOf) : new Date()
  const setting = { by: { kind: 'system' as const, person: null, name: 'the example' }, at, people: surroundings.people }
  const load = example.asOf ? await frozenLoad(db, at, example.saw, surroundings) : undefined
  const read = await readAsked(db, workflow, example, surroundings, setting, load)
  if ('problems' in read) return failed(read.problems.map((p) => p.message))
  const tried = await tryWorkflow(db, workflow, read.occasion, surroundings, load)
  if ('fault' in tried) return failed([`The run would fail: ${tried.fault}`])
  return failed(judge(example.expect, outcomeOf(tried.plan), surroundings.schema), tried.plan)
}

/** Positions of moments that are over, by the database; what is past does not move. */
const positions = new WeakMap<object, Map<number, Position | null>>()

/** Commits later than this after they were made are not expected. */
const LATE_MS = 60_000

/** Where the log stood at a moment; looked for once, as a log of a million changes takes its time to be searched. */
export async function placeOf(db: Queryable, at: Date): Promise<Position | null> {
  const known = positions.get(db) ?? new Map<number, Position | null>()
  positions.set(db, known)
  const found = known.get(at.getTime()) ?? (await positionAt(db, at))
  if (Date.now() - at.getTime() > LATE_MS) known.set(at.getTime(), found)
  return found
}

/** Loads data as it stood at a moment: records, lists, teams from the log; groups and suppressed addresses as they were seen then, where that is known. */
export async function frozenLoad(db: Queryable, at: Date, saw: Saw | undefined, surroundings: Surroundings): Promise<Load> {
  const loading = { setting: surroundings, dry: true }
  const position = await placeOf(db, at)
  const load = (needs: readonly Need[], loaded: Map<string, unknown>) =>
    position === null ? loadNeeds(db, needs, loaded, loading) : loadNeedsAsOf(db, needs, loaded, loading, position, at)
  return async (needs, loaded) => {
    const open: Need[] = []
    for (const need of needs) {
      const group = need.kind === 'group' ? saw?.groups?.[need.name] : undefined
      if (group) loaded.set(needKey(need), await groupOf(group, surroundings.people, load))
      else if (need.kind === 'suppression' && saw) loaded.set(needKey(need), (saw.suppressed ?? []).includes(need.address))
      else open.push(need)
    }
    await load(open, loaded)
  }
}

/** A group as an example saw it, its people as they stood then; one who is not known any more is an address. */
async function groupOf(
  { people, addresses }: { readonly people?: readonly string[]; readonly addresses?: readonly string[] },
  ids: ReadonlyMap<string, number>,
  load: Load,
): Promise<Group> {
  const known = new Map<string, unknown>()
  const needs = (people ?? []).flatMap((email): Need[] => {
    const id = ids.get(email.toLowerCase())
    return id === undefined ? [] : [{ kind: 'record', table: 'person', id }]
  })
  await load(needs, known)
  const images = (people ?? []).map((email): Image => {
    const id = ids.get(email.toLowerCase())
    return (known.get(`record person ${id}`) as Image | null | undefined) ?? { name: email, email, active: true }
  })
  return { people: images, addresses: addresses ?? [] }
}
