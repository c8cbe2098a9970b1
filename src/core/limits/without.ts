import type { PlannedMessage, PlannedRecipient } from '../workflow/plan'

/** A message without some of its recipients; none where nobody is left, and several where only hidden ones are, who must not see one another. */
export function without(message: PlannedMessage, leaves: (one: PlannedRecipient) => boolean): PlannedMessage[] {
  const staying = (list: readonly PlannedRecipient[]) => list.filter((one) => !leaves(one))
  const [to, cc, bcc] = [staying(message.to), staying(message.cc), staying(message.bcc)]
  if (to.length > 0) return [{ ...message, to, cc, bcc }]
  if (cc.length > 0) return [{ ...message, to: cc, cc: [], bcc }]
  return bcc.map((one) => ({ ...message, to: [one], cc: [], bcc: [] }))
}
