import { type Condition, together } from '@/core/document/condition'
import type { Workflow } from '@/core/document/document'
import { briefOf, type Line } from '@/core/words/brief'
import type { Installation } from '@/core/words/read/installation'
import { type Addition, readLine } from '@/core/words/read/sentence'
import { staying } from '@/core/words/read/stays'
import { insertAt, type Moved, placeFor, renamed, withJoint } from './tree'

/** Words that were understood whole as lines of a brief. */
export interface SaidLines {
  readonly added: Addition
  /** The lines, as the brief will have them. */
  readonly lines: readonly Line[]
}

/** Where a line of actions would stand, so that what it can speak of is known: in the repetition or branch that is chosen, else at the end. */
function placeOfActions(document: Workflow, chosen: string): string {
  const { list, index } = placeFor(document, 'action', chosen)
  return `${list}/${index}`
}

/** Reads what is typed in the bottom row of a brief; null where it is not understood whole, or adds nothing. */
export function saidLines(text: string, document: Workflow, chosen: string, installation: Installation): SaidLines | null {
  if (text.trim().length < 3) return null
  const { added, unread } = readLine(text, document, placeOfActions(document, chosen), installation)
  if (unread.length > 0 || !isWhole(added)) return null
  const lines = briefOf(alone(document, added), installation).filter((line) =>
    line.kind === 'cue' ? added.cue !== null || added.stays !== null : !(line.kind === 'conditions' && line.depth === 0),
  )
  return lines.length ? { added, lines } : null
}

/** Whether something was said, and every clause of it has a right side where it needs one. */
function isWhole({ cue, stays, firing, conditions, bringIn, actions, limits }: Addition): boolean {
  const isSaid = cue !== null || stays !== null || firing !== null || conditions.length + bringIn.length + actions.length + Object.keys(limits).length > 0
  return isSaid && !actions.some((a) => a.do === 'email' && a.to.length === 0)
}

function alone(document: Workflow, { cue, stays, conditions, bringIn, actions, limits }: Addition): Workflow {
  const joined = together(null, conditions)
  const of = cue ?? document.cue
  return {
    ...document,
    cue: stays !== null && of.kind === 'record' ? { ...of, stays } : of,
    conditions: joined ?? undefined,
    bringIn: [...bringIn],
    values: [],
    actions: [...actions],
    limits,
  }
}

/** The document with what was said added to it, near the chosen line, and the last line that came so. */
export function withSaid(document: Workflow, added: Addition, chosen: string): Moved {
  let next: Moved = { document: cued(document, added), path: '/cue' }
  for (const condition of added.conditions) next = inserted(next.document, 'condition', flat(condition), chosen)
  for (const bring of added.bringIn) next = inserted(next.document, 'bring in', bring, chosen)
  let at = chosen
  for (const action of added.actions) {
    next = inserted(next.document, 'action', renamed(next.document, action), at)
    at = next.path
  }
  const [limit] = Object.keys(added.limits)
  if (!limit) return next
  return { document: { ...next.document, limits: { ...next.document.limits, ...added.limits } }, path: `/limits/${limit}` }
}

/** A condition as a line of its own; one that only holds one part is that. */
const flat = (condition: Condition): Condition => ('all' in condition && condition.all.length === 1 && condition.all[0] ? condition.all[0] : condition)

function cued(document: Workflow, { cue, stays, firing }: Addition): Workflow {
  return { ...document, cue: staying(cue ?? document.cue, stays), ...(firing ? { firing } : {}) }
}

function inserted(document: Workflow, kind: 'condition' | 'bring in' | 'action', value: unknown, chosen: string): Moved {
  const base = kind === 'condition' ? withJoint(document) : document
  const { list, index } = placeFor(base, kind, chosen)
  return insertAt(base, list, index, value)
}
