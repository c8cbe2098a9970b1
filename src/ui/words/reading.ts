import { type Condition, together } from '@/core/document/condition'
import type { Action, Workflow } from '@/core/document/document'
import { withoutText } from '@/core/words/follow'
import { type WordsIn, wordsIn } from '@/core/words/read/words-in'
import { firstRecipient } from '@/core/words/starters'
import { isBriefText } from '@/core/words/text/nodes'
import { readBriefText } from '@/core/words/text/read'
import { everyAction, mappedActions } from '@/core/workflow/uses'
import type { Known } from './known'

export { LiveBrief } from './live-brief'

/** Where words are typed: the table that is meant where none is named, conditions that stand there already, as a filter does, and the template that its mail takes. */
export interface Typed {
  readonly table?: string
  readonly where?: Condition | null
  readonly template?: string
}

/** Reads what is typed: a sentence, or a brief that was pasted. */
export function read(text: string, { installation }: Known, { table }: Typed): WordsIn {
  if (isBriefText(text)) return { ...readBriefText(text, installation), completions: { from: text.length, words: [] } }
  return wordsIn(text, installation, (table && installation.schema.get(table)) || null)
}

/** The workflow that is made of what was read where it was typed; null where there is none. */
export function madeOf(workflow: Workflow | null, known: Known, { where, template }: Typed): Workflow | null {
  return withTemplate(withFilter(workflow, where), template, known)
}

const withFilter = (workflow: Workflow | null, where: Condition | null | undefined): Workflow | null => {
  const conditions = where && workflow ? together(where, workflow.conditions ? [workflow.conditions] : []) : null
  return workflow && conditions ? { ...workflow, conditions } : workflow
}

/** A workflow whose mail takes a template; where no mail was said, one to whom the record names first. */
function withTemplate(workflow: Workflow | null, template: string | undefined, words: Known): Workflow | null {
  if (!workflow || template === undefined) return workflow
  const table = words.installation.schema.get(workflow.table)
  const lists = words.setting.templates.find((t) => t.name === template)?.lists ?? []
  const hasMail = everyAction(workflow.actions).some((action) => action.do === 'email')
  const actions: readonly Action[] = hasMail || !table ? workflow.actions : [...workflow.actions, { name: 'tell', do: 'email', to: firstRecipient(table) }]
  const bringIn = [...(workflow.bringIn ?? []), ...lists.filter((list) => !workflow.bringIn?.some((b) => b.name === list.name))]
  return {
    ...workflow,
    ...(bringIn.length ? { bringIn } : {}),
    actions: mappedActions(actions, (action) => (action.do === 'email' ? { ...withoutText(action), template } : action)),
  }
}

/** What is not understood, but for the last word while it may still become one that is. */
export function unfinishedLeftOut({ workflow, unread, completions }: WordsIn, text: string) {
  if (completions.words.length === 0) return unread
  if (!workflow) return []
  return unread.flatMap((mark) => (mark.to < text.trimEnd().length ? [mark] : completions.from <= mark.from ? [] : [{ ...mark, to: completions.from }]))
}
