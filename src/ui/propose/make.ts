import type { Change } from '@/core/changes/change'
import type { Clause } from '@/core/document/condition'
import type { Example, Saw, Workflow } from '@/core/document/document'
import { titleOf } from '@/core/values/tables'
import { withTexts } from '@/core/words/facts'
import { proposedName } from '@/core/words/proposed-name'
import { firstRecipient } from '@/core/words/starters'
import type { ToldProposal } from '@/engine/propose'
import { call } from '../api'
import { wordingOf } from '../editor/setting'
import type { Mark, Marks } from './marks'
import type { Past } from './past'

/** Most marks of each kind that are kept with the workflow as examples, the newest. */
const MOST_KEPT = 6

/** The workflow that a proposal is the beginning of, before it does anything. */
export function workflowOf({ cue, conditions, firing }: ToldProposal, table: string): Workflow {
  return { rappel: 'workflow/1', name: 'Proposed', table, cue, ...(conditions ? { conditions } : {}), ...(firing === 'every' ? { firing } : {}), actions: [] }
}

/** The draft that a proposal becomes: it tells whom the table's records belong to, and keeps the marks as examples. */
export async function draftOf(proposal: ToldProposal, past: Past, marks: Marks): Promise<Workflow> {
  const { table, setting } = past
  const wording = wordingOf(setting)
  const found = firstRecipient(table)
  const to = found.length ? found : setting.me ? [{ address: setting.me }] : []
  const bare: Workflow = { ...workflowOf(proposal, table.name), name: '', actions: [{ name: 'tell', do: 'email', to }] }
  const workflow = withTexts({ ...bare, name: proposedName(bare, wording) }, new Map(), wording)
  const examples = await examplesOf(workflow, past, marks)
  return examples.length ? { ...workflow, examples } : workflow
}

/** A draft with one condition more, and with the marks that led to it among its examples. */
export async function withCondition(draft: Workflow, added: Clause, past: Past, marks: Marks): Promise<Workflow> {
  const { conditions } = draft
  const all = !conditions ? [] : 'all' in conditions ? conditions.all : [conditions]
  const workflow: Workflow = { ...draft, conditions: { all: [...all, added] } }
  const kept = draft.examples ?? []
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
