import type { Recipient, Workflow } from '../document/document'
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

/** Groups that nobody is in any more, and templates that say nothing. */
function reviewEmpty(workflow: Workflow, { emptyGroups, templates }: ReviewSetting): Finding[] {
  return activeActions(workflow.actions).flatMap(({ action, path }) => {
    if (action.do !== 'email' && action.do !== 'notice') return []
    const lists: Record<string, readonly Recipient[] | undefined> =
      action.do === 'email' ? { to: action.to, cc: action.cc, bcc: action.bcc, ifNobody: action.ifNobody } : { to: action.to }
    const found = Object.entries(lists).flatMap(([list, entries]) =>
      (entries ?? []).flatMap((entry, i) =>
        'group' in entry && emptyGroups?.has(entry.group)
          ? [
              warning(
                'empty group',
                `${path}/${list}/${i}`,
                `Nobody who is active is in the group ${entry.group}, so it yields no address. Put people into it, or take it out here.`,
              ),
            ]
          : [],
      ),
    )
    if (action.do !== 'email' || action.template === undefined || (action.body ?? '') !== '') return found
    const template = templates?.get(action.template)
    if (template?.body.trim() !== '') return found
    return [...found, warning('empty template', `${path}/template`, `The template ${template.name} has no body, so the mail would say nothing. Write it, or choose another.`)]
  })
}
