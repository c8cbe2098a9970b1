import type { Plan, PlannedMessage } from '../workflow/plan'

/** The most that goes over all workflows in a day and an hour; null where there is no such limit. */
export interface Caps {
  readonly day: number | null
  readonly hour: number | null
}

/** How much has passed over all workflows, in the day and in the hour. */
export interface PassedIn {
  readonly day: number
  readonly hour: number
}

export const areCapped = ({ day, hour }: Caps): boolean => day !== null || hour !== null

/** Holds of a plan's mail what goes past the most of the organisation; answers how many mails passed. Mail that a digest gathers, or a cap holds already, does not count. */
export function capped(plan: Plan, caps: Caps, passed: PassedIn): { readonly plan: Plan; readonly counted: number } {
  let [counted, held] = [0, 0]
  const isOver = (most: number | null, before: number) => most !== null && before + counted >= most
  const messages = plan.messages.map((message): PlannedMessage => {
    if (message.held && message.held.reason !== 'quiet') return message
    if (isOver(caps.day, passed.day) || isOver(caps.hour, passed.hour)) {
      held++
      return { ...message, held: { reason: 'cap', until: null } }
    }
    counted++
    return message
  })
  if (held === 0) return { plan, counted }
  const most = isOver(caps.hour, passed.hour) ? `${caps.hour} mails of all workflows went in this hour` : `${caps.day} mails of all workflows went today`
  return {
    plan: {
      ...plan,
      messages,
      notes: [
        ...plan.notes,
        { code: 'capped', path: messages.find((m) => m.held?.reason === 'cap')?.path ?? '', message: `Held: ${most} already, which is the most that the settings allow.` },
      ],
    },
    counted,
  }
}
