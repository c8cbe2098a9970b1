import type { Wording } from '../conditions/sentence'
import type { Cue, FigureCue, Workflow } from '../document/document'
import { baseRoots } from '../paths/roots'
import type { TableDef } from '../values/tables'
import { BY_HAND_CUE } from './by-hand'
import { ALL_OF_CHANGE, type CueKind, type CueSetting, type CueShape, type Report, type Wanted } from './cue'
import { RECORD_CUE } from './record'
import { TIMETABLE_CUE } from './timetable'

/** Figures are kept in documents and shown, and cannot go live in this version. */
const FIGURE_CUE: CueKind<FigureCue> = {
  shape: (_cue, table) => ({ table, roots: baseRoots(table), tested: baseRoots(table), changeParts: ALL_OF_CHANGE, moves: true }),
  words: ({ figure, threshold }) => `the figure ${figure} crosses ${threshold}`,
  review: (_workflow, _table, _setting, error) => error('not supported', '/cue', 'This version has no figures yet, so a figure cue cannot go live. Choose another cue.'),
  dryRun: () => [],
}

/** Every kind of cue. A new one is a file beside this and a line here. */
const KINDS: { readonly [K in Cue['kind']]: CueKind<Extract<Cue, { kind: K }>> } = {
  record: RECORD_CUE,
  timetable: TIMETABLE_CUE,
  'by hand': BY_HAND_CUE,
  figure: FIGURE_CUE,
}

const kindOf = (cue: Cue) => KINDS[cue.kind] as CueKind<Cue>

/** What paths and texts of a workflow can start from. */
export const shapeOf = ({ cue }: Pick<Workflow, 'cue'>, table: TableDef): CueShape => kindOf(cue).shape(cue, table)

/** What a workflow waits for, in words. */
export const cueWords = ({ cue }: Pick<Workflow, 'cue'>, table: TableDef | undefined, wording: Wording): string => kindOf(cue).words(cue, table, wording)

/** Reports what is wrong with a workflow's cue. */
export const reviewCue = (workflow: Workflow, table: TableDef, setting: CueSetting, error: Report): void => kindOf(workflow.cue).review(workflow, table, setting, error)

/** What a dry run of a workflow is to be told. */
export const wantedBy = ({ cue }: Pick<Workflow, 'cue'>): readonly Wanted[] => kindOf(cue).dryRun(cue)
