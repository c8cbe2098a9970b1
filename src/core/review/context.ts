import type { Workflow } from '../document/document'
import type { Engines } from '../message/render'
import { nearest } from '../paths/path'
import type { Roots } from '../paths/roots'
import type { Organisation, Schema, TableDef } from '../values/tables'
import type { Template } from '../workflow/surroundings'

/** A finding of the review: an error blocks going live, a warning asks. */
export interface Finding {
  readonly level: 'error' | 'warning'
  readonly code: string
  /** JSON Pointer into the workflow document. */
  readonly path: string
  /** What is wrong and how to mend it. */
  readonly message: string
  /** Past changes that it is seen at. */
  readonly changes?: readonly { readonly id: number; readonly title: string }[]
}

/** What a workflow is reviewed against. */
export interface ReviewSetting {
  readonly schema: Schema
  /** Ids of people by lower-case e-mail. */
  readonly people: ReadonlyMap<string, number>
  readonly organisation: Organisation
  readonly groups: ReadonlySet<string>
  /** Groups that yield no address: nobody who is active is in them, and no address. */
  readonly emptyGroups?: ReadonlySet<string>
  /** Teams of which nobody is active. */
  readonly emptyTeams?: ReadonlySet<string>
  /** The versions that are live. */
  readonly live?: readonly Workflow[]
  readonly teams: ReadonlySet<string>
  readonly engines: Engines
  readonly templates?: ReadonlyMap<string, Template>
  readonly senders?: ReadonlySet<string>
  readonly channels?: ReadonlySet<string>
  /** Names of the library's files. */
  readonly library?: ReadonlySet<string>
  /** The only address that the workflow may write to, where it is a member's own. */
  readonly onlyTo?: string | null
}

/** Where a part of a workflow is reviewed: the names known there, and how to report. */
export interface Context {
  readonly setting: ReviewSetting
  /** The table that bare paths mean. */
  readonly table: TableDef
  readonly roots: Roots
  /** The parts of `change` that texts can speak of here; none where nothing has changed. Without it, all. */
  readonly changeParts?: readonly string[]
  /** Whether clauses may compare a record with what it was before; they may unless said otherwise. */
  readonly moves?: boolean
  readonly error: (code: string, path: string, message: string) => void
  readonly warn: (code: string, path: string, message: string) => void
}

/** The two ways to report findings, into a list. */
export function reporting(findings: Finding[]): Pick<Context, 'error' | 'warn'> {
  const finds = (level: Finding['level']) => (code: string, path: string, message: string) => {
    findings.push({ level, code, path, message })
  }
  return { error: finds('error'), warn: finds('warning') }
}

/** Whether the brief wants it mended before it goes live: an error, or a group without clauses, which only documents written elsewhere may keep. */
export function isToMend({ level, code }: Finding): boolean {
  return level === 'error' || code === 'empty condition'
}

/** The sentence for a name that nothing has, with the nearest that something has. */
export function unknownName(what: string, name: string, known: Iterable<string>): string {
  if (name === '') return `No ${what} is chosen yet.`
  const near = nearest(name, [...known])
  return `There is no ${what} ${JSON.stringify(name)}.${near ? ` Did you mean ${near}?` : ''}`
}
