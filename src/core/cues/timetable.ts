import { someClause } from '../conditions/clause'
import { OPERATORS } from '../conditions/operators'
import type { TimetableCue, Workflow } from '../document/document'
import { unknownField } from '../paths/path'
import { fieldOf, PERSON_TABLE, type TableDef, withoutRecord } from '../values/tables'
import { cronWords, readCron } from './cron'
import { type CueKind, type CueShape, moment, named, type Report, recordRoots } from './cue'
import { groupShape, groupWordsOf, reviewOver } from './group'

const TICK = named('tick', [moment('at', 'at')])

const none = ({ singular, label }: TableDef, per: string) =>
  `This runs once ${per === 'owner' ? 'for each owner' : 'for all'}, so there is no one ${singular.replaceAll('_', ' ')} whose field could be meant. Go through records (${label.toLowerCase()} that fit)${per === 'owner' ? ', or use owner' : ''}.`

function shapeOf({ per, over }: TimetableCue, table: TableDef): CueShape {
  const base = { tested: recordRoots(table), changeParts: [], moves: false }
  if (per === 'group') {
    const group = groupShape(over, table)
    return { ...base, ...group, roots: new Map([TICK, ...group.roots]) }
  }
  if (per === 'record') return { ...base, table, roots: new Map([...recordRoots(table), TICK]) }
  const roots: CueShape['roots'] = new Map([TICK, ['records', { kind: 'list', table }], ...(per === 'owner' ? [['owner', { kind: 'record', table: PERSON_TABLE }] as const] : [])])
  return { ...base, table: withoutRecord(table, none(table, per)), roots }
}

const plural = (table: TableDef | undefined) => table?.label.toLowerCase() ?? 'records'

function wordsOf({ cron, per, over, evenIfNone }: TimetableCue, table: TableDef | undefined): string {
  const what =
    per === 'record'
      ? `for each ${table?.singular.replaceAll('_', ' ') ?? 'record'} that fits`
      : per === 'owner'
        ? `for each owner, their ${plural(table)} that fit`
        : per === 'group'
          ? groupWordsOf(over, table)
          : `all ${plural(table)} that fit${evenIfNone ? ', even if there are none' : ''}`
  return `${cronWords(cron)}, ${what}`
}

/** Reports clauses that compare a record with what it was before, where nothing has changed. */
export function reviewStanding(workflow: Workflow, what: string, error: Report): void {
  if (workflow.conditions && someClause(workflow.conditions, (clause) => !clause.muted && OPERATORS[clause.op].change))
    error(
      'nothing has changed',
      '/conditions',
      `${what} looks at records as they stand; a clause that compares with before (changed, rose, crossed …) never holds there. Say what the record is.`,
    )
}

/** Comes at moments of the clock, and looks at the records that fit then. */
export const TIMETABLE_CUE: CueKind<TimetableCue> = {
  shape: shapeOf,
  words: wordsOf,
  review: (workflow, table, _setting, error) => {
    const { cue } = workflow
    const read = readCron(cue.cron)
    if ('problem' in read) error('no timetable', '/cue/cron', read.problem.message)
    reviewOver(cue, table, error)
    if (cue.per === 'owner' && !table.ownerField) error('no owner', '/cue/per', `${table.label} has no owner field, so it cannot run once for each owner.`)
    const order = cue.order?.replace(/^-/, '')
    if (order !== undefined && !fieldOf(table, order)) error('unknown field', '/cue/order', unknownField(table, order))
    reviewStanding(workflow, 'A timetable', error)
  },
  dryRun: ({ per }) => (per === 'record' ? ['moment', 'record'] : per === 'owner' ? ['moment', 'owner'] : per === 'group' ? ['moment', 'group'] : ['moment']),
}
