import { clauseSentence, type Wording } from '../conditions/sentence'
import { cueWords } from '../cues/kinds'
import { clausesOf } from '../document/condition'
import type { Workflow } from '../document/document'
import { briefOf } from './brief'

const MOST_CLAUSES = 2
const MOST_ACTIONS = 3

/** What a workflow does, in a line: “an enquiry is changed: stage is Won → email its owner, task for its owner”. */
export function doesWords(workflow: Workflow, wording: Wording): string {
  const table = wording.schema.get(workflow.table)
  const cue = cueWords(workflow, table, wording).replace(/, anyone’s/, '')
  if (!table) return cue
  const clauses = clausesOf(workflow.conditions)
  const held = clauses.slice(0, MOST_CLAUSES).map((clause) => clauseSentence(clause, table, wording))
  if (clauses.length > MOST_CLAUSES) held.push('…')
  const actions = briefOf(workflow, wording).filter((line) => line.kind === 'action' && !line.muted && !['choose', 'each'].includes(line.role))
  const done = actions.slice(0, MOST_ACTIONS).map((line) => `${line.role} ${line.words}`.replace('email the email of', 'email'))
  if (actions.length > MOST_ACTIONS) done.push('…')
  return `${cue}${held.length ? `: ${held.join(', ')}` : ''} → ${done.join(', ') || 'nothing yet'}`
}
