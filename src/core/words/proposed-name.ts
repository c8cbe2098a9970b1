import { clauseSentence, type Wording } from '../conditions/sentence'
import { cronWords } from '../cues/cron'
import { type Clause, clausesOf } from '../document/condition'
import type { Workflow } from '../document/document'
import { durationWords } from '../values/duration'
import { capital, nounOf } from '../values/naming'
import type { TableDef } from '../values/tables'

const LONGEST = 80
/** Most clauses that a name says. */
const MOST_CLAUSES = 2

/** What a workflow may be called, from what it waits for: "Claim: status becomes Settled", "Sailing added", "Claims: on working days at 07:00". */
export function proposedName(workflow: Workflow, wording: Wording): string {
  const table = wording.schema.get(workflow.table)
  if (!table) return 'New workflow'
  const noun = capital(nounOf(table))
  const clauses = clausesOf(workflow.conditions)
  const told = clauses.length ? toldWords(clauses, workflow, table, wording) : null
  const { cue } = workflow
  switch (cue.kind) {
    case 'timetable':
      return shortName(told && cue.per === 'record' ? `${noun}: ${told}` : `${table.label}: ${told ?? cronWords(cue.cron)}`)
    case 'by hand':
      return shortName(`${noun}: by hand`)
    case 'figure':
      return shortName(`${cue.figure || table.label}: ${cue.threshold || 'a threshold'}`)
    case 'record': {
      if (!told) return `${noun} ${cue.on.map((kind) => ON_WORDS[kind]).join(' or ')}`
      return shortName(`${noun}: ${told}${cue.stays ? ` for ${durationWords(cue.stays)}` : ''}`)
    }
  }
}

const ON_WORDS = { created: 'added', changed: 'changed', deleted: 'removed' } as const

function toldWords(clauses: readonly Clause[], workflow: Workflow, table: TableDef, wording: Wording): string {
  const { cue } = workflow
  const becomes = workflow.firing !== 'every' && cue.kind === 'record' && cue.on.length === 1 && cue.on[0] === 'changed' && !cue.stays
  const words = clauses.slice(0, MOST_CLAUSES).map((clause) => {
    const sentence = clauseSentence(clause, table, wording)
    return becomes && clause.op === 'is' ? sentence.replace(/ is (?=\S+)/, ' becomes ') : sentence
  })
  return words.join(', ') + (clauses.length > MOST_CLAUSES ? ', …' : '')
}

/** A name as long as one can be read at a glance, cut between words. */
export const shortName = (name: string) => (name.length > LONGEST ? `${name.slice(0, LONGEST - 1).replace(/\s\S*$/, '')}…` : name)
