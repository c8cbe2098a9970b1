import type { ByHandCue } from '../document/document'
import type { RootDef } from '../paths/roots'
import { withArticle } from '../values/naming'
import { type TableDef, withoutRecord } from '../values/tables'
import { answersTable, reviewQuestions } from './answers'
import { type CueKind, type CueShape, recordRoots } from './cue'
import { groupShape, groupWordsOf, reviewOver } from './group'
import type { PressOccasion } from './occasion'
import { reviewStanding } from './timetable'

/** What a press speaks of as the change: who pressed, and when. */
const OF_PRESS = ['at', 'by']

const none = ({ singular, label }: TableDef, per: string) =>
  per === 'all'
    ? `This runs once for the whole selection, so there is no one ${singular.replaceAll('_', ' ')} whose field could be meant. Go through records (the ${label.toLowerCase()} chosen).`
    : `This runs without any record, so there is no ${singular.replaceAll('_', ' ')} whose field could be meant.`

function shapeOf({ per = 'record', over, ask = [] }: ByHandCue, table: TableDef): CueShape {
  const asked: readonly [string, RootDef][] = ask.length ? [['asked', { kind: 'record', table: answersTable(ask) }]] : []
  const base = { tested: new Map([...recordRoots(table), ...asked]), changeParts: OF_PRESS, moves: false }
  if (per === 'group') {
    const group = groupShape(over, table)
    return { ...base, ...group, roots: new Map([...group.roots, ...asked]), tested: new Map([...group.tested, ...asked]) }
  }
  if (per === 'record') return { ...base, table, roots: base.tested }
  const listed: readonly [string, RootDef][] = per === 'all' ? [['records', { kind: 'list', table }]] : []
  const list: CueShape['roots'] = new Map([...listed, ...asked])
  return { ...base, table: withoutRecord(table, none(table, per)), roots: list }
}

function whoWords({ who }: ByHandCue): string {
  const roles = who?.roles?.map((r) => `${r}s`) ?? []
  const named = [...roles, ...(who?.teams ?? []).map((t) => `the team ${t}`), ...(who?.groups ?? []).map((g) => `the group ${g}`)]
  return named.length ? named.join(' or ') : 'administrators or editors'
}

/** Is set off by a person, for the records they chose, with answers to its questions. */
export const BY_HAND_CUE: CueKind<ByHandCue> = {
  shape: shapeOf,
  words: (cue, table) => {
    const singular = table?.singular.replaceAll('_', ' ') ?? 'record'
    const on =
      cue.per === 'all'
        ? `on a selection of ${table?.label.toLowerCase() ?? 'records'}`
        : cue.per === 'none'
          ? 'without a record'
          : cue.per === 'group'
            ? groupWordsOf(cue.over, table)
            : `on ${withArticle(singular)}`
    const asks = cue.ask?.length ? `, asking ${cue.ask.map((q) => q.label.toLowerCase() || '…').join(', ')}` : ''
    return `by hand, ${on}, by ${whoWords(cue)}${asks}`
  },
  review: (workflow, table, setting, error) => {
    const { cue } = workflow
    reviewOver(cue, table, error)
    if (cue.per === 'none' && workflow.conditions)
      error('no record', '/conditions', 'It runs without any record, so there is nothing that conditions could be tested on. Remove them.')
    cue.who?.teams?.forEach((team, i) => {
      if (!setting.teams.has(team)) error('unknown team', `/cue/who/teams/${i}`, `There is no team ${JSON.stringify(team)}.`)
    })
    cue.who?.groups?.forEach((group, i) => {
      if (!setting.groups.has(group)) error('unknown group', `/cue/who/groups/${i}`, `There is no group ${JSON.stringify(group)}.`)
    })
    reviewQuestions(cue.ask ?? [], setting, error)
    reviewStanding(workflow, 'A workflow that is run by hand', error)
  },
  dryRun: ({ per = 'record', ask }) => [
    ...(per === 'record' ? (['record'] as const) : per === 'all' ? (['records'] as const) : per === 'group' ? (['group'] as const) : []),
    ...(ask?.length ? (['answers'] as const) : []),
  ],
}

/** What a press runs once for: each record, all that are chosen, or none. */
export const pressedPer = ({ per }: ByHandCue): PressOccasion['per'] => per ?? 'record'

/** Somebody who may or may not press. */
export interface Presser {
  readonly role: 'administrator' | 'editor' | 'member'
  readonly team: string | null
  readonly groups: readonly string[]
}

/** Whether somebody may run a workflow by hand: administrators always, others by role, team or group. */
export function mayPress({ who }: ByHandCue, { role, team, groups }: Presser): boolean {
  if (role === 'administrator') return true
  const named = (who?.roles?.length ?? 0) + (who?.teams?.length ?? 0) + (who?.groups?.length ?? 0) > 0
  if (!named) return role === 'editor'
  return Boolean(who?.roles?.includes(role) || (team !== null && who?.teams?.includes(team)) || who?.groups?.some((g) => groups.includes(g)))
}
