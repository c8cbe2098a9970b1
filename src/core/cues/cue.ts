import type { Wording } from '../conditions/sentence'
import type { Cue, Workflow } from '../document/document'
import { baseRoots, type RootDef } from '../paths/roots'
import type { FieldDef, Schema, TableDef } from '../values/tables'

/** What paths and texts of a workflow can start from, by its cue. */
export interface CueShape {
  /** The table whose fields bare paths of actions mean; without a record it has none, and says why. */
  readonly table: TableDef
  /** The names that actions know from the cue. */
  readonly roots: ReadonlyMap<string, RootDef>
  /** The names that its conditions know, which are tested on records of the workflow's table whatever the actions see. */
  readonly tested: ReadonlyMap<string, RootDef>
  /** The table that its conditions are on, where that is not simply the workflow's: one without fields, where there is no one record. */
  readonly about?: TableDef
  /** The parts of `change` that texts can speak of; none where there is no change. */
  readonly changeParts: readonly string[]
  /** Whether clauses may compare a record with what it was before. */
  readonly moves: boolean
}

/** What a dry run of a cue is to be told. */
export type Wanted = 'change' | 'moment' | 'record' | 'owner' | 'records' | 'answers' | 'group' | 'value'

/** What cues are reviewed against. */
export interface CueSetting {
  readonly schema: Schema
  readonly people: ReadonlyMap<string, number>
  readonly teams: ReadonlySet<string>
  readonly groups: ReadonlySet<string>
}

/** Reports what is wrong: its code, where (JSON Pointer), and how to mend it. */
export type Report = (code: string, path: string, message: string) => void

/** A kind of cue with its readings; evaluation, the brief, the review, rehearsal and the editor ask these. */
export interface CueKind<C extends Cue> {
  readonly shape: (cue: C, table: TableDef) => CueShape
  /** The cue's line of the brief. */
  readonly words: (cue: C, table: TableDef | undefined, wording: Wording) => string
  readonly review: (workflow: Workflow & { readonly cue: C }, table: TableDef, setting: CueSetting, error: Report) => void
  readonly dryRun: (cue: C) => readonly Wanted[]
}

export const ALL_OF_CHANGE = ['kind', 'at', 'by', 'fields']

/** The names of a record that stands as it is, without what it was before. */
export function recordRoots(table: TableDef): Map<string, RootDef> {
  const roots = baseRoots(table)
  roots.delete('before')
  return roots
}

/** A name with fields of its own, such as `tick.at`: it is read as a record is. */
export function named(name: string, fields: readonly FieldDef[]): [string, RootDef] {
  return [name, { kind: 'record', table: { name, label: name, singular: name, titleField: fields[0]?.name ?? 'id', fields } }]
}

export const moment = (name: string, label: string): FieldDef => ({ name, label, type: 'date-time' })
