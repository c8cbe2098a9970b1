import type { Action, Recipient, Workflow } from '../document/document'
import { considerLimits } from '../limits/considered'
import { activeActions } from '../workflow/active'
import type { Finding, ReviewSetting } from './context'
import { reviewLoops } from './loops'
import { reviewSameNames } from './same-names'

/** What the definitions alone give reason to ask about before a workflow goes live; nothing of it blocks. */
export function considerations(workflow: Workflow, setting: ReviewSetting): Finding[] {
  const ofLimits: Finding[] = []
  considerLimits(workflow, setting.organisation, (code, path, message) => ofLimits.push(warning(code, path, message)))
  return [...ofLimits, ...reviewEmpty(workflow, setting), ...reviewLoops(workflow, setting.live ?? [], setting.schema), ...reviewSameNames(workflow, setting)]
}

const warning = (code: string, path: string, message: string): Finding => ({ level: 'warning', code, path, message })

/** The code of a finding by which nobody at all is left to get a mail or notice. */
export const REACHES_NOBODY = 'reaches nobody'

/** Groups and teams that nobody is in any more, mail that therefore reaches no one, and templates that say nothing. */
export function reviewEmpty(workflow: Workflow, setting: ReviewSetting): Finding[] {
  return activeActions(workflow.actions).flatMap(({ action, path }) => {
    if (action.do !== 'email' && action.do !== 'notice') return []
    const lists: Record<string, readonly Recipient[] | undefined> =
      action.do === 'email' ? { to: action.to, cc: action.cc, bcc: action.bcc, ifNobody: action.ifNobody } : { to: action.to }
    const found = Object.entries(lists).flatMap(([list, entries]) =>
      (entries ?? []).flatMap((entry, i) => {
        const among = emptyIn(entry, setting)
        return among ? [warning('empty group', `${path}/${list}/${i}`, `Nobody who is active is ${among}, so it yields no address. Put people into it, or take it out here.`)] : []
      }),
    )
    const isLeft = (entry: Recipient) => emptyIn(entry, setting) === null
    const goesElsewhere = action.do === 'email' ? (action.ifNobody ?? []).some(isLeft) : action.channel !== undefined
    if (action.to?.length && !action.to.some(isLeft) && !goesElsewhere)
      found.push(warning(REACHES_NOBODY, `${path}/to`, 'Nobody is left who would get it: all that it is for are groups or teams in which nobody is active.'))
    return [...found, ...reviewTemplateText(action, path, setting)]
  })
}

/** A group or team of recipients that nobody active is in, as it is said; null of any other. */
function emptyIn(entry: Recipient, { emptyGroups, emptyTeams }: ReviewSetting): string | null {
  if ('group' in entry && emptyGroups?.has(entry.group)) return `in the group ${entry.group}`
  return 'team' in entry && emptyTeams?.has(entry.team) ? `of the team ${entry.team}` : null
}

function reviewTemplateText(action: Action, path: string, { templates }: ReviewSetting): Finding[] {
  if (action.do !== 'email' || action.template === undefined || (action.body ?? '') !== '') return []
  const template = templates?.get(action.template)
  if (template?.body.trim() !== '') return []
  return [warning('empty template', `${path}/template`, `The template ${template.name} has no body, so the mail would say nothing. Write it, or choose another.`)]
}
