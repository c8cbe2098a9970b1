import { escapeHtml } from '../message/liquid'
import type { Mailbox, Plan, PlannedMessage } from './plan'

/** Whoever armed a trial: all its mail and notices go there. */
export interface Tryer extends Mailbox {
  readonly person: number
}

/** A plan as a trial carries it out: what it writes stays, but every message and notice goes to whoever armed it, saying on top to whom it would have gone. */
export function trialPlan(plan: Plan, tryer: Tryer): Plan {
  const { person, ...me } = tryer
  return {
    ...plan,
    messages: plan.messages.map((message) => ({ ...message, to: [me], cc: [], bcc: [], ...onTop(message, wouldHaveGone(message)) })),
    notices: plan.notices.map(({ path, channel, to, title, text }) => {
      const goal = [...(channel ? [`the channel ${channel}`] : []), ...to].join(', ')
      return { path, channel: null, people: [person], to: [me.name ?? me.address], title, text: `Trial: this would have gone to ${goal}.\n\n${text}` }
    }),
  }
}

function wouldHaveGone({ to, cc, bcc }: PlannedMessage): string {
  const part = (name: string, list: readonly Mailbox[]) => (list.length ? [`${name} ${list.map((m) => m.address).join(', ')}`] : [])
  return `Trial: this would have gone to ${[...part('', to), ...part('Cc', cc), ...part('Bcc', bcc)].join('; ').trim()}. It went to you alone.`
}

function onTop({ html, text }: PlannedMessage, line: string): Pick<PlannedMessage, 'html' | 'text'> {
  const banner = `<p style="border-left:3px solid #C9641E;padding-left:.7em">${escapeHtml(line)}</p>`
  const body = /<body\b[^>]*>/i.exec(html)
  const at = body ? body.index + body[0].length : 0
  return { html: `${html.slice(0, at)}${banner}\n${html.slice(at)}`, text: `${line}\n\n${text}` }
}
