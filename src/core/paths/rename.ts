import type { Operand } from '../document/condition'
import { fieldOf, PERSON_TABLE, type Schema, type TableDef, targetOf } from '../values/tables'
import type { RootDef, Roots } from './roots'

/** A field of a table that gets another name, or whose choices do, with the tables as they are before it. */
export interface Renaming {
  readonly schema: Schema
  readonly table: string
  readonly from: string
  readonly to: string
  /** What its choices are called from now on, by what they were called. */
  readonly choices?: ReadonlyMap<unknown, string>
  /** What one of its records is called from now on in documents about them, and was called; no field is renamed then. */
  readonly singular?: { readonly from: string; readonly to: string }
}

/** The names of a path with the field renamed, and the table of the record that it ends at, where it ends at one. */
export interface Renamed {
  readonly names: readonly string[]
  readonly end: RootDef | null
}

/** What of a list can be asked besides its entries' fields. */
const LIST_PARTS = ['first', 'last']

/** A field's name in a table, as it is called from now on. */
export const newName = (table: TableDef | null | undefined, name: string, { table: renamed, from, to }: Renaming): string => (table?.name === renamed && name === from ? to : name)

/** A name that paths start at, as it is called from now on: whatever bears the record's name gets its new one, so that what hides it in a part of a document goes on hiding it there. */
export const newRoot = (name: string, { singular }: Renaming): string => (singular && name === singular.from ? singular.to : name)

/** Walks from a record along names, each a field of where the one before led. */
function walk(names: readonly string[], start: TableDef, renaming: Renaming): Renamed {
  const renamed: string[] = []
  let at: TableDef | null = start
  for (const name of names) {
    renamed.push(newName(at, name, renaming))
    const field: ReturnType<typeof fieldOf> = at ? fieldOf(at, name) : undefined
    at = (field && renaming.schema.get(targetOf(field) ?? '')) ?? null
  }
  return { names: renamed, end: at && { kind: 'record', table: at } }
}

/** A path's names that start at a field of a record, where there is one, or at a root, as `checkRooted` reads them. */
export function renamedNames(names: readonly string[], table: TableDef | null, roots: Roots, renaming: Renaming): Renamed {
  const [given = '', ...rest] = names
  if (table && fieldOf(table, given)) return walk(names, table, renaming)
  const root = roots.get(given)
  const head = newRoot(given, renaming)
  if (!root || root.kind === 'value') return { names: [head, ...rest], end: null }
  if (rest.length === 0) return { names: [head], end: root }
  const [part = ''] = rest
  const isPart = root.kind === 'list' && LIST_PARTS.includes(part)
  const walked = walk(isPart ? rest.slice(1) : rest, root.table, renaming)
  return { names: isPart ? [head, part, ...walked.names] : [head, ...walked.names], end: walked.end }
}

/** A dotted path with the field renamed. */
export function renamedPath(path: string, table: TableDef | null, roots: Roots, renaming: Renaming): string {
  return renamedNames(path.split('.'), table, roots, renaming).names.join('.')
}

/** A name that no field has, to find out what speaks of one. */
export const NOWHERE = 'ʀ'

/** A value that stands for the renamed field, as it is called from now on; `isIts` tells whether it stands for that field. */
export const newChoice = <V>(value: V, isIts: boolean, { choices }: Renaming): V | string => (isIts ? (choices?.get(value) ?? value) : value)

/** The same of a clause's right side that is a value or a list of them; any other stays. */
export const newLiteral = (value: Operand, isIts: boolean, renaming: Renaming): Operand =>
  Array.isArray(value) ? value.map((one) => newChoice(one, isIts, renaming)) : newChoice(value, isIts, renaming)

/** Whether it is the e-mail of people that is renamed, by which documents call whoever stands in a field of people. */
const isOfPeople = ({ table, from }: Renaming) => table === PERSON_TABLE.name && from === 'email'

/** Whether a field of a table is the one whose choices are renamed, or holds people who are called by it. */
export function isIts(name: string, table: TableDef | null | undefined, renaming: Renaming): boolean {
  if (table?.name === renaming.table && name === renaming.from) return true
  const field = table && isOfPeople(renaming) ? fieldOf(table, name) : undefined
  return field !== undefined && targetOf(field) === PERSON_TABLE.name
}

/** Whether a dotted path ends at the field whose choices are renamed, or at a person who is called by it. */
export function isPathToIt(path: string, table: TableDef | null, roots: Roots, renaming: Renaming): boolean {
  if (renaming.choices === undefined) return false
  const { names, end } = renamedNames(path.split('.'), table, roots, { ...renaming, to: NOWHERE })
  return names.at(-1)?.endsWith(NOWHERE) === true || (isOfPeople(renaming) && end?.kind === 'record' && end.table.name === PERSON_TABLE.name)
}
