import type { Action, Attach, EmailAction, Recipient, Workflow } from '../document/document'
import { imagesIn } from '../message/images'
import type { Template } from './surroundings'

/** What a workflow names that is kept outside it. */
export type UsedThing = 'sender' | 'channel' | 'template' | 'group' | 'team' | 'file' | 'figure'

/** Every action of a workflow, those under others included, in reading order. */
export function everyAction(actions: readonly Action[]): Action[] {
  return actions.flatMap((action) => {
    if (action.do === 'each') return [action, ...everyAction(action.actions)]
    if (action.do === 'choose') return [action, ...action.branches.flatMap((b) => everyAction(b.actions)), ...everyAction(action.otherwise ?? [])]
    return [action]
  })
}

/** Actions with each, those under others too, as `map` makes it: first the one that others stand under. */
export function mappedActions(actions: readonly Action[], map: (action: Action) => Action): Action[] {
  return actions.map((given) => {
    const action = map(given)
    if (action.do === 'each') return { ...action, actions: mappedActions(action.actions, map) }
    if (action.do !== 'choose') return action
    return {
      ...action,
      branches: action.branches.map((branch) => ({ ...branch, actions: mappedActions(branch.actions, map) })),
      ...(action.otherwise ? { otherwise: mappedActions(action.otherwise, map) } : {}),
    }
  })
}

/** The names of one kind of thing that a workflow uses, each once. */
export function usesOf(workflow: Workflow, thing: UsedThing): string[] {
  if (thing === 'figure') return figuresOf(workflow)
  return [...new Set([...usesOfCue(workflow, thing), ...everyAction(workflow.actions).flatMap((action) => usesOfAction(action, thing))])]
}

/** The groups and teams that may run a workflow by hand, and the team whose records it goes by. */
function usesOfCue({ cue }: Workflow, thing: UsedThing): readonly string[] {
  if (cue.kind === 'by hand') return (thing === 'group' ? cue.who?.groups : thing === 'team' ? cue.who?.teams : undefined) ?? []
  return thing === 'team' && cue.kind === 'record' && cue.whose && 'team' in cue.whose ? [cue.whose.team] : []
}

/** The figure that a workflow waits for, or goes through the groups of. */
function figuresOf({ cue }: Workflow): string[] {
  if (cue.kind === 'figure') return [cue.figure]
  return 'over' in cue && cue.over ? [cue.over.figure] : []
}

function usesOfAction(action: Action, thing: UsedThing): string[] {
  const named = (names: (string | undefined)[]) => names.filter((n): n is string => n !== undefined)
  if (thing === 'channel') return named([action.do === 'notice' ? action.channel : undefined])
  if (thing === 'group' || thing === 'team') return named(recipientsOf(action).map((r) => (r as Record<string, string | undefined>)[thing]))
  if (action.do !== 'email') return []
  if (thing === 'sender') return named([typeof action.from === 'object' ? action.from.sender : undefined])
  if (thing === 'template') return named([action.template])
  return [...filesOf(action)]
}

function recipientsOf(action: Action): Recipient[] {
  if (action.do === 'notice') return action.to ?? []
  if (action.do !== 'email') return []
  return [...action.to, ...(action.cc ?? []), ...(action.bcc ?? []), ...(action.ifNobody ?? []), ...(action.replyTo ? [action.replyTo] : [])]
}

function filesOf({ attach, body }: EmailAction): string[] {
  return [...libraryFiles(attach), ...imagesIn(body ?? '')]
}

function libraryFiles(entries: readonly Attach[] = []): string[] {
  return entries.flatMap((entry) => ('file' in entry ? [entry.file] : []))
}

/** The library's files that a template attaches or shows. */
export function filesOfTemplate({ attachments, body }: Pick<Template, 'attachments' | 'body'>): string[] {
  return [...libraryFiles(attachments), ...imagesIn(body)]
}

/** Whether a workflow's draft or its version in force names a person by e-mail. */
export const isPersonNamed = ({ draft, live }: { readonly draft: Workflow; readonly live: Workflow | null }, email: string): boolean =>
  [draft, live].some((document) => document && namesPerson(document, email))

/** Whether a workflow names a person by e-mail: in its cue, its conditions, or among its recipients. */
export function namesPerson(workflow: Workflow, email: string): boolean {
  const wanted = email.toLowerCase()
  const mentions = (node: unknown): boolean => {
    if (typeof node === 'string') return node.trim().toLowerCase() === wanted
    return typeof node === 'object' && node !== null && Object.values(node).some(mentions)
  }
  return mentions(workflow)
}
