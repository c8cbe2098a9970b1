import type { EmailAction } from '../document/document'

/** Whether an email names a list, whose entries are mostly people who do not know of one another. */
export const namesList = ({ to }: Pick<EmailAction, 'to'>): boolean => to.some((entry) => 'list' in entry)

/** How an email goes out: as it says, else one each where it names a list, and one to all where it does not. */
export function deliveryOf(action: Pick<EmailAction, 'to' | 'delivery'>): 'together' | 'each' {
  return action.delivery ?? (namesList(action) ? 'each' : 'together')
}
