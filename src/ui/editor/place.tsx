'use client'

import { createContext, type ReactNode, useContext, useMemo } from 'react'
import type { Wording } from '@/core/conditions/sentence'
import { shapeOf } from '@/core/cues/kinds'
import type { BringIn, Recipient, Workflow } from '@/core/document/document'
import { freeName } from '@/core/document/exchange'
import type { RootDef } from '@/core/paths/roots'
import { everyTableFields, type FieldType, type Schema, type TableDef, targetOf } from '@/core/values/tables'
import { scopeAt } from '@/core/workflow/scope'
import type { Option } from '../parts/choice'
import type { Evidence, ShownPlan } from './evidence'
import type { EditorSetting } from './setting'

/** Where a line is edited: the document around it, what is known there, and what the sample record makes of it. */
export interface Place {
  readonly document: Workflow
  readonly table: TableDef
  readonly path: string
  readonly setting: EditorSetting
  readonly wording: Wording
  /** Names that paths can start at here. */
  readonly roots: ReadonlyMap<string, RootDef>
  /** What comes of the sample, where it could be worked out. */
  readonly plan: ShownPlan | null
  /** What placeholders come to for the sample, and the share of past changes for which they are blank, by path. */
  readonly placeholders: ReadonlyMap<string, { readonly value: string; readonly blank: number }>
  /** What the newest changes say of the whole; null while it is not known. */
  readonly evidence: Evidence | null
  /** Whom a starter guessed that its mail goes to; whom one chooses takes their place. */
  readonly guessed: readonly Recipient[] | null
  readonly put: (path: string, value: unknown) => void
  /** Told of a template that a text was kept as; nothing where none may be kept. */
  readonly keepTemplate?: (template: EditorSetting['templates'][number]) => void
}

const PlaceContext = createContext<Place | null>(null)

/** Gives the controls under it their place. */
export function PlaceProvider({ children, ...given }: Omit<Place, 'roots'> & { children: ReactNode }) {
  const { document, path, wording } = given
  const roots = useMemo(() => scopeAt(document, path, given.table, wording), [document, path, given.table, wording])
  return <PlaceContext.Provider value={{ ...given, table: tableAt(document, path, given.table), roots }}>{children}</PlaceContext.Provider>
}

/** The table that bare paths mean at a line: where a workflow runs without one record, its actions mean none. */
export function tableAt(document: Workflow, path: string, table: TableDef): TableDef {
  return path.startsWith('/cue') || path.startsWith('/conditions') ? table : shapeOf(document, table).table
}

/** The place of the line that a control belongs to. @throws Error outside a line */
export function usePlace(): Place {
  const place = useContext(PlaceContext)
  if (!place) throw new Error('A control of a line stands outside any.')
  return place
}

const words = (name: string) => name.replaceAll('_', ' ')

/** The fields of a table and, one link further, those of what it points at, under a name before them. */
function fieldsUnder(prefix: string, said: string, table: TableDef, schema: Schema): Option[] {
  if (table.none !== undefined) return []
  const own = [...table.fields, ...everyTableFields(table)].map((f) => ({ value: prefix + f.name, label: `${said}${f.label.toLowerCase()}`, note: f.type }))
  const linked = table.fields.flatMap((f) => {
    const target = schema.get(targetOf(f) ?? '')
    return target ? target.fields.map((g) => ({ value: `${prefix}${f.name}.${g.name}`, label: `${said}${f.label.toLowerCase()}’s ${g.label.toLowerCase()}`, note: g.type })) : []
  })
  return [...own, ...linked]
}

/** Every path that can be named at a place, of the types asked for. */
export function pathsAt({ table, roots, wording }: Pick<Place, 'table' | 'roots' | 'wording'>, types?: readonly FieldType[]): Option[] {
  const fits = (option: Option) => !types || types.includes(option.note as FieldType)
  const options = fieldsUnder('', '', table, wording.schema)
  for (const [name, root] of roots) {
    if (['record', table.singular].includes(name)) continue
    if (root.kind === 'value') options.push({ value: name, label: words(name), note: 'value' })
    if (root.kind !== 'record') continue
    if (name !== 'before') options.push({ value: name, label: `the ${words(name)}`, note: root.table.name === 'person' ? 'person' : 'link' })
    options.push(...fieldsUnder(`${name}.`, name === 'before' ? 'previous ' : `${words(name)}’s `, root.table, wording.schema))
  }
  return options.filter(fits)
}

/** The lists of what the record points at, such as the contacts of its company, each with what is brought in for it. */
export function linkedListsAt({ document, table, wording }: Pick<Place, 'document' | 'table' | 'wording'>): { option: Option; table: TableDef; bring: BringIn }[] {
  if (table.none !== undefined) return []
  const taken = new Set(document.bringIn?.map((b) => b.name))
  return table.fields
    .filter((link) => link.type === 'link')
    .flatMap((link) =>
      [...wording.schema.values()].flatMap((other) =>
        other.name === 'person'
          ? []
          : other.fields
              .filter((back) => back.type === 'link' && targetOf(back) === targetOf(link) && !(other === table && back === link))
              .map((back) => ({
                option: {
                  value: `${other.name}.${back.name} of ${link.name}`,
                  label: `${other.label.toLowerCase()} of its ${link.label.toLowerCase()}`,
                  note: back.label.toLowerCase(),
                },
                table: other,
                bring: { name: freeName(other.name, taken), list: `${other.name}.${back.name}`, of: link.name },
              })),
      ),
    )
}

/** The lists that can be gone through at a place: what was brought in, and whatever points at the record. */
export function listsAt({ table, roots, wording }: Pick<Place, 'table' | 'roots' | 'wording'>): { option: Option; table: TableDef }[] {
  const brought = [...roots].flatMap(([name, root]) => (root.kind === 'list' ? [{ option: { value: name, label: words(name), note: 'brought in' }, table: root.table }] : []))
  const related = [...wording.schema.values()].flatMap((other) =>
    other.name === 'person' || table.none !== undefined
      ? []
      : other.fields
          .filter((f) => targetOf(f) === table.name)
          .map((f) => ({
            option: { value: `${other.name}.${f.name}`, label: `${other.label.toLowerCase()} of the ${words(table.singular)}`, note: f.label.toLowerCase() },
            table: other,
          })),
  )
  return [...brought, ...related]
}
