import type { Wording } from '../conditions/sentence'
import type { Cue, Workflow } from '../document/document'
import type { TableDef } from '../values/tables'
import { BY_HAND_CUE } from './by-hand'
import type { CueKind, CueSetting, CueShape, Report, Wanted } from './cue'
import { FIGURE_CUE } from './figure'
import { RECORD_CUE } from './record'
import { TIMETABLE_CUE } from './timetable'

/** Every kind of cue. A new one is a file beside this and a line here. */
const KINDS: { readonly [K in Cue['kind']]: CueKind<Extract<Cue, { kind: K }>> } = {
  record: RECORD_CUE,
  timetable: TIMETABLE_CUE,
  'by hand': BY_HAND_CUE,
  figure: FIGURE_CUE,
}

const kindOf = (cue: Cue) => KINDS[cue.kind] as CueKind<Cue>

const isOf = <K extends Cue['kind']>(cue: Cue, kind: K): cue is Extract<Cue, { kind: K }> => cue.kind === kind

/** The cue of a workflow that is known to have one of this kind; throws where it has another. */
export function cueOf<K extends Cue['kind']>({ cue }: Pick<Workflow, 'cue'>, kind: K): Extract<Cue, { kind: K }> {
  if (!isOf(cue, kind)) throw new Error(`A cue of the kind ${kind} was expected, not ${cue.kind}.`)
  return cue
}

/** What paths and texts of a workflow can start from. */
export const shapeOf = ({ cue }: Pick<Workflow, 'cue'>, table: TableDef): CueShape => kindOf(cue).shape(cue, table)

/** What a workflow waits for, in words. */
export const cueWords = ({ cue }: Pick<Workflow, 'cue'>, table: TableDef | undefined, wording: Wording): string => kindOf(cue).words(cue, table, wording)

/** Reports what is wrong with a workflow's cue. */
export const reviewCue = (workflow: Workflow, table: TableDef, setting: CueSetting, error: Report): void => kindOf(workflow.cue).review(workflow, table, setting, error)

/** What a dry run of a workflow is to be told. */
export const wantedBy = ({ cue }: Pick<Workflow, 'cue'>): readonly Wanted[] => kindOf(cue).dryRun(cue)
