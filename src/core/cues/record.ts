import type { ChangeKind } from '../changes/change'
import type { Wording } from '../conditions/sentence'
import type { RecordCue } from '../document/document'
import { unknownField } from '../paths/path'
import { baseRoots } from '../paths/roots'
import { durationWords } from '../values/duration'
import { nounOf, possessive, withArticle } from '../values/naming'
import { fieldOf, type TableDef } from '../values/tables'
import { ALL_OF_CHANGE, type CueKind } from './cue'
import { reviewStay, stayShape } from './stay'

/** What happened to a record, or may come of an action: in which table, what, and in which fields (null where that is not known). */
export interface Happening {
  readonly table: string
  readonly kind: ChangeKind
  readonly changed: readonly string[] | null
}

/** Why a record cue does not wait for something that happened. */
export type NotWaited = 'of another table' | 'of another kind' | 'no change' | 'in other fields'

/**
 * Whether a record cue of a table waits for something that happened; null where it does, else why not. This is the one definition: evaluation, what is set aside, and
 * the look for loops ask it; `waitedForSql` is the same in SQL, held against it by tests.
 */
export function notWaitedFor({ on, fields }: RecordCue, table: string, { table: of, kind, changed }: Happening): NotWaited | null {
  if (of !== table) return 'of another table'
  if (!on.includes(kind)) return 'of another kind'
  if (kind !== 'changed' || changed === null) return null
  if (changed.length === 0) return 'no change'
  return fields?.length && !fields.some((f) => changed.includes(f)) ? 'in other fields' : null
}

/** The same as SQL over rows `c` of the log of its table: `kinds` is how the list of kinds is written, `inFields` what says that one of the fields changed; null where any may. */
export const waitedForSql = (kinds: string, inFields: string | null): string => `c.kind = any(${kinds})${inFields === null ? '' : ` and (c.kind <> 'changed' or ${inFields})`}`

/** What is said of a change that a cue did not wait for, or that passed its conditions or did not. */
export function whoseWords({ whose }: RecordCue, wording: Wording): string {
  if (!whose) return 'anyone’s'
  return 'team' in whose ? `the team ${possessive(whose.team)}` : possessive(wording.names.get(whose.person.toLowerCase()) ?? whose.person)
}

function wordsOf(cue: RecordCue, table: TableDef | undefined, wording: Wording): string {
  const fields = cue.fields?.length ? ` in ${cue.fields.map((f) => table?.fields.find((d) => d.name === f)?.label.toLowerCase() ?? f).join(' or ')}` : ''
  const stays = cue.stays === undefined ? '' : `, and stays so for ${durationWords(cue.stays)}`
  return `${withArticle(table ? nounOf(table) : 'record')} is ${cue.on.join(' or ')}${fields}, ${whoseWords(cue, wording)}${stays}`
}

/** Waits for changes of records; with `stays`, for conditions that became true at one and then held. */
export const RECORD_CUE: CueKind<RecordCue> = {
  shape: (cue, table) => {
    const base = { table, roots: baseRoots(table), tested: baseRoots(table), changeParts: ALL_OF_CHANGE, moves: true }
    return cue.stays === undefined ? base : stayShape(base)
  },
  words: wordsOf,
  review: (workflow, table, setting, error) => {
    const { cue } = workflow
    cue.fields?.forEach((name, i) => {
      if (!fieldOf(table, name)) error('unknown field', `/cue/fields/${i}`, unknownField(table, name))
    })
    if (cue.stays !== undefined) reviewStay(workflow, error)
    if (!cue.whose) return
    if (!table.ownerField) error('no owner', '/cue/whose', `${table.label} has no owner field, so it cannot be narrowed by whose records they are.`)
    if ('team' in cue.whose && !setting.teams.has(cue.whose.team))
      error('unknown team', '/cue/whose/team', cue.whose.team ? `There is no team ${JSON.stringify(cue.whose.team)}.` : 'No team is chosen yet.')
    if ('person' in cue.whose && cue.whose.person === '') error('unknown person', '/cue/whose/person', 'No person is chosen yet.')
    else if ('person' in cue.whose && !setting.people.has(cue.whose.person.toLowerCase()))
      error('unknown person', '/cue/whose/person', `Nobody here has the address ${cue.whose.person}.`)
  },
  dryRun: () => ['change'],
}
