import type { Change } from '../changes/change'
import { goesByClock, lettingThrough, someClause } from '../conditions/clause'
import { OPERATORS } from '../conditions/operators'
import type { Condition } from '../document/condition'
import type { RecordCue, Workflow } from '../document/document'
import { readDuration } from '../values/duration'
import { formatStored } from '../values/format'
import { fieldOf, type Organisation, type Stored, type TableDef, targetOf } from '../values/tables'
import { type CueShape, moment, named, type Report } from './cue'

/** The roots that a stay adds. */
export function stayShape(base: CueShape): CueShape {
  return { ...base, roots: new Map([...base.roots, named('stay', [moment('since', 'since')])]) }
}

/**
 * What must hold at every change of a record that waits: clauses that count days or spans from now are judged at the beginning and at the end alone, so that in between
 * they break nothing.
 */
export const heldInBetween = (condition: Condition): Condition => lettingThrough(condition, goesByClock)

/** Whether a clause compares a record with what it was before, which says nothing of whether something stays so. */
const moves = (condition: Condition) => someClause(condition, (clause) => !clause.muted && OPERATORS[clause.op].change)

/** What a change changed, in words: "status In review → Offer made, by Ines Okafor". */
export function brokenWords({ kind, changed, before, after: now, by }: Change, table: TableDef, organisation: Organisation): string {
  if (kind === 'deleted') return `it was deleted, by ${by.name}`
  const parts = changed.slice(0, 3).flatMap((name) => {
    const field = fieldOf(table, name)
    if (!field) return []
    if (targetOf(field) || field.type === 'file') return [`${field.label.toLowerCase()} changed`]
    const shown = (value: Stored | undefined) => (value === null || value === undefined || value === '' ? 'blank' : formatStored(field.type, value, organisation))
    return [`${field.label.toLowerCase()} ${shown(before?.[name])} → ${shown(now?.[name])}`]
  })
  return `${parts.join(', ')}, by ${by.name}`
}

/** How long after a moment another came, in words: "2 hours". */
export function spanWords(from: Date, to: Date): string {
  const seconds = Math.max(0, Math.round((to.getTime() - from.getTime()) / 1_000))
  const units = [
    ['day', 86_400],
    ['hour', 3_600],
    ['minute', 60],
  ] as const
  const [unit, size] = units.find(([, s]) => seconds >= s * 2) ?? (seconds >= 60 ? units[2] : (['second', 1] as const))
  const count = Math.floor(seconds / size)
  return `${count} ${unit}${count === 1 ? '' : 's'}`
}

/** Reviews what is waited for to stay so. */
export function reviewStay({ cue, conditions, firing }: Workflow & { readonly cue: RecordCue }, error: Report): void {
  const read = readDuration(cue.stays ?? '')
  if ('problem' in read) error('no length of time', '/cue/stays', read.problem)
  if (!conditions) return error('nothing to stay so', '/cue/stays', 'There are no conditions that could stay so. Add one, such as “status is In review”.')
  if (firing === 'every') error('cannot stay so', '/firing', 'What stays so fires once for each time that it becomes true; choose “as it becomes true”.')
  if (moves(conditions))
    error(
      'cannot stay so',
      '/conditions',
      'A clause that compares with before (changed, rose, crossed …) holds at one moment only and cannot stay so. Say what the record is: “status is …”.',
    )
  if (!cue.on.includes('created') && !cue.on.includes('changed')) error('cannot stay so', '/cue/on', 'A record that is deleted stays nothing. Wait for created or changed.')
}
