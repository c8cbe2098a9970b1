/** The members that stand under lines, by what they are called there. */
const CALLED: Readonly<Record<string, string>> = { body: 'text', text: 'text', replyTo: 'reply to', ifNobody: 'if nobody', bringIn: 'bring in', evenIfNone: 'even if none' }

/** The name under which a member of a part stands in a text. */
export const calledOf = (member: string): string => CALLED[member] ?? member

/** The member that is meant by a name in a text, of a part of that role. */
export function memberOf(called: string, role: string): string {
  if (called === 'text') return role === 'email' ? 'body' : 'text'
  return Object.keys(CALLED).find((member) => CALLED[member] === called && member !== 'text') ?? called
}

/** The member by which a part is given whole, where words cannot say it. */
export const EXACTLY = 'exactly'
