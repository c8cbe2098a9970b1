import type { Change } from '@/core/changes/change'
import { type Clause, together } from '@/core/document/condition'
import type { Example, Saw, Workflow } from '@/core/document/document'
import { titleOf } from '@/core/values/tables'
import { draftOf } from '@/core/words/starters'
import type { ToldProposal } from '@/engine/propose'
import { call } from '../api'
import { wordingOf } from '../editor/setting'
import type { Mark, Marks } from './marks'
import type { Past } from './past'

/** Most marks of each kind that are kept with the workflow as examples, the newest. */
const MOST_KEPT = 6

const partsOf = ({ cue, conditions, firing }: ToldProposal) => ({ cue, ...(conditions ? { conditions } : {}), ...(firing === 'every' ? { firing } : {}) })

/** The workflow that a proposal is the beginning of, before it does anything. */
export const workflowOf = (proposal: ToldProposal, table: string): Workflow => ({ rappel: 'workflow/1', name: 'Proposed', table, ...partsOf(proposal), actions: [] })

/** The draft that a proposal becomes: it tells whom the table's records belong to, and keeps the marks as examples. */
export function proposedDraft(proposal: ToldProposal, past: Past, marks: Marks): Promise<Workflow> {
  const { table, setting } = past
  return withExamples(draftOf(table, partsOf(proposal), { wording: wordingOf(setting), otherwise: setting.me }), past, marks)
}

/** A draft with one condition more, and with the marks that led to it among its examples. */
export function withCondition(draft: Workflow, added: Clause, past: Past, marks: Marks): Promise<Workflow> {
  return withExamples({ ...draft, conditions: together(draft.conditions, [added]) ?? added }, past, marks)
}

/** A workflow with marks among its examples; one that has the name of a mark stays. */
async function withExamples(workflow: Workflow, past: Past, marks: Marks): Promise<Workflow> {
  const kept = workflow.examples ?? []
  const names = new Set(kept.map((example) => example.name))
  const examples = [...kept, ...(await examplesOf(workflow, past, marks)).filter((example) => !names.has(example.name))]
  return examples.length ? { ...workflow, examples } : workflow
}

/** Marks as examples: what came of each then, of whom to tell nothing is said. */
async function examplesOf(workflow: Workflow, past: Past, marks: Marks): Promise<Example[]> {
  const newest = (mark: Mark) => past.changes.filter((change) => marks.get(change.id) === mark).slice(0, MOST_KEPT)
  const made = await Promise.all([...newest('yes'), ...newest('no')].map((change) => exampleOf(workflow, change, marks.get(change.id) === 'yes', past)))
  const names = new Set<string>()
  return made.flatMap((example) => {
    if (!example) return []
    let { name } = example
    for (let n = 2; names.has(name); n++) name = `${example.name} (${n})`
    names.add(name)
    return [{ ...example, name }]
  })
}

async function exampleOf(workflow: Workflow, { kind, before, after, at, by }: Change, fires: boolean, { table, setting }: Past): Promise<Example | null> {
  const who = setting.people.find((p) => p.id === by.person)?.email
  const change = { kind, before, after, at: new Date(at).toISOString(), ...(who ? { by: who } : {}) }
  try {
    const answer = await call<{ saw: Saw; fires: boolean }>('POST', '/api/v1/try', { workflow, change, asOf: change.at })
    if (answer.fires !== fires) return null // as of that moment something else holds it back, or does not any more
    return { name: `${titleOf(table, after ?? before ?? {})} ${fires ? 'tells' : 'does not tell'}`, change, asOf: change.at, saw: answer.saw, expect: { fires } }
  } catch {
    return null // a change that cannot be tried again, as of a table that has other fields since, is no example
  }
}
