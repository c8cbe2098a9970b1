import type { Wording } from '../conditions/sentence'
import type { Action, EmailAction, Workflow } from '../document/document'
import { everyAction, mappedActions } from '../workflow/uses'
import { withTexts } from './facts'
import { proposedName } from './proposed-name'

const NO_SAYS: ReadonlyMap<string, readonly string[]> = new Map()

/** An email without a text of its own. */
export function withoutText({ subject: _s, body: _b, format: _f, ...rest }: EmailAction): EmailAction {
  return rest
}

/** An action without what it says, which the text by default then takes the place of. */
function silent(action: Action): Action {
  switch (action.do) {
    case 'email':
      return action.template ? action : withoutText(action)
    case 'notice':
      return { ...action, title: undefined, text: '' }
    case 'task':
      return { ...action, subject: '' }
    default:
      return action
  }
}

/** What an action says, as one text to compare by. */
function saidBy(action: Action): string | null {
  switch (action.do) {
    case 'email':
      return action.template ? null : JSON.stringify([action.subject ?? '', action.body ?? ''])
    case 'notice':
      return JSON.stringify([action.title ?? '', action.text])
    case 'task':
      return action.subject
    default:
      return null
  }
}

const byName = (actions: readonly Action[]) => new Map(everyAction(actions).map((action) => [action.name, action]))

/**
 * A draft after an edit, its name and texts gone along: those that were the ones by default before the edit and were not touched by it are the ones by default again, so that they
 * speak of the field, the value and the recipient that are there now. `free` makes a name that no other workflow has.
 */
export function followed(before: Workflow, after: Workflow, wording: Wording, free: (name: string) => string = (name) => name): Workflow {
  if (before === after) return after
  const isNamed = after.name === before.name && after.name === free(proposedName(before, wording))
  const named = isNamed ? { ...after, name: free(proposedName(after, wording)) } : after
  const [old, bare] = [byName(before.actions), byName(withTexts({ ...before, actions: mappedActions(before.actions, silent) }, NO_SAYS, wording).actions)]
  const follows = (action: Action) => {
    const [was, byDefault] = [old.get(action.name), bare.get(action.name)]
    const said = saidBy(action)
    return said !== null && was !== undefined && byDefault !== undefined && saidBy(was) === said && saidBy(byDefault) === said
  }
  const fresh = byName(withTexts({ ...named, actions: mappedActions(named.actions, silent) }, NO_SAYS, wording).actions)
  let isMoved = false
  const actions = mappedActions(named.actions, (action) => {
    const next = fresh.get(action.name)
    if (!next || !follows(action) || saidBy(next) === saidBy(action)) return action
    isMoved = true
    return withSaid(action, next)
  })
  return isMoved ? { ...named, actions } : named
}

/** A workflow with the text by default in one of its actions, which says nothing yet. */
export function withTextAt(workflow: Workflow, name: string, wording: Wording): Workflow {
  const filled = byName(withTexts(workflow, NO_SAYS, wording).actions).get(name)
  return filled ? { ...workflow, actions: mappedActions(workflow.actions, (action) => (action.name === name ? withSaid(action, filled) : action)) } : workflow
}

/** An action with what another of its kind says. */
function withSaid(action: Action, from: Action): Action {
  if (action.do === 'email' && from.do === 'email') return { ...action, subject: from.subject, body: from.body, format: from.format }
  if (action.do === 'notice' && from.do === 'notice') return { ...action, title: from.title, text: from.text }
  if (action.do === 'task' && from.do === 'task') return { ...action, subject: from.subject }
  return action
}
