import type { FieldDef, TableDef } from '@/core/values/tables'
import type { Use } from '@/store/design/mentions'
import type { Retyping } from '@/store/design/retype'
import { call, Refusal } from '../api'

const path = (table: string) => `/api/v1/tables/${table}`

/** Saves what a table is called, and those of its fields that are given; the others stay as they are, whoever changed them meanwhile. */
export function saveTable({ name, figures: _, ...table }: TableDef, fields: readonly FieldDef[] = []): Promise<unknown> {
  return call('PUT', path(name), { ...table, fields })
}

/** What a field is, apart from its name and its label, which a rename changes. */
const kindOf = ({ type, table, choices }: FieldDef) => JSON.stringify([type, type === 'link' ? table : null, type === 'choice' ? choices : null])

/** What keeping an edited field asks about before it is done. */
export type Asked =
  | { readonly kind: 'rename'; readonly uses: readonly Use[] }
  | { readonly kind: 'choices'; readonly uses: readonly Use[]; readonly renamed: Readonly<Record<string, string>> }
  | { readonly kind: 'lost'; readonly told: Retyping }

/**
 * Keeps an edited field: its type, what its choices are called (`renamed`, by what they were called), what else it is, and its name. Answers what has to be said yes to first; null once it is done.
 */
export async function keepField(
  table: TableDef,
  was: FieldDef,
  is: FieldDef,
  renamed: Readonly<Record<string, string>>,
  yes: { readonly rename: boolean; readonly choices: boolean; readonly lost: boolean },
): Promise<Asked | null> {
  const byDefault = is.type === 'choice' ? renamed[String(is.default)] : undefined
  const named = { ...is, name: was.name, ...(byDefault === undefined ? {} : { default: byDefault }) }
  if (is.name !== was.name && !yes.rename) {
    const uses = await usesOf(table.name, was.name)
    if (uses.length) return { kind: 'rename', uses }
  }
  const isRetyped = kindOf(was) !== kindOf(is)
  if (isRetyped) {
    const told = await call<Retyping>('POST', `${path(table.name)}/retype-field`, { ...named, renamed, look: true })
    if ((told.kept < told.filled || told.gone.length) && !yes.lost) return { kind: 'lost', told }
    if (told.renamed.length && !yes.choices) return { kind: 'choices', uses: told.renamed, renamed }
    await call('POST', `${path(table.name)}/retype-field`, { ...named, renamed, anyway: true })
  }
  if (JSON.stringify(was) !== JSON.stringify(named)) await saveTable(table, [named])
  if (is.name !== was.name) await call('POST', `${path(table.name)}/rename-field`, { field: was.name, to: is.name, anyway: true })
  return null
}

/** Where a field is used. */
export async function usesOf(table: string, field: string): Promise<readonly Use[]> {
  const { fields } = await call<{ fields: Record<string, Use[]> }>('GET', `${path(table)}/uses`)
  return (fields[field] ?? []).filter((u) => u.kind !== 'title' && u.kind !== 'owner')
}

/** Puts the fields of a table into an order. */
export const orderFields = (table: string, fields: readonly string[]) => call('PUT', `${path(table)}/order`, { fields })

/** The places in the way of a deed that was refused; null where it was refused for another reason. */
export const usesIn = (error: unknown): readonly Use[] | null => (error instanceof Refusal && error.problem.status === 409 ? (error.problem.uses ?? []) : null)

export const removeField = (table: string, field: string, anyway: boolean) => call('DELETE', `${path(table)}/fields/${field}?anyway=${anyway}`)
export const deleteTable = (table: string, anyway: boolean) => call('DELETE', `${path(table)}?anyway=${anyway}`)
export const detachTable = (table: string, anyway: boolean) => call('POST', `${path(table)}/detach`, { anyway })
