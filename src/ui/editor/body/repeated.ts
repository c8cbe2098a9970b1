import type { Workflow } from '@/core/document/document'
import { must } from '@/core/must'
import type { RootDef } from '@/core/paths/roots'
import { type TableDef, targetOf } from '@/core/values/tables'
import { listsAt, type Place } from '../place'
import { CELL_STYLE, TABLE_STYLE } from './nodes'

/** A list that the text can go through, by the name it was brought in under. */
export interface TextList {
  readonly name: string
  readonly table: TableDef
}

/** The lists that were brought in, which a text can repeat rows over. */
export function listsInText({ roots }: Pick<Place, 'roots'>): TextList[] {
  return [...roots].flatMap(([name, root]) => (root.kind === 'list' ? [{ name, table: root.table }] : []))
}

/** The repetition over a list as Liquid says it: `booking in bookings`. */
export function entryOf({ name, table }: TextList): string {
  return `${table.singular === name ? `one_${name}` : table.singular} in ${name}`
}

/** The place within a repeated block, where its entry has a name too. */
export function placeInBlock(place: Place, each: string | null): Place {
  const m = each === null ? null : /^(\w+) in (\w+)$/.exec(each)
  const list = m && place.roots.get(must(m[2]))
  if (!m || list?.kind !== 'list') return place
  return { ...place, roots: new Map<string, RootDef>([...place.roots, [must(m[1]), { kind: 'record', table: list.table }]]) }
}

/** A list that a table of rows can be made of: brought in already, or to be brought in with it. */
export interface TableOffer {
  readonly words: string
  readonly list: TextList
  /** What is brought in for it. */
  readonly bringIn: NonNullable<Workflow['bringIn']>[number] | null
}

/** The tables of rows that can be put into a text; `canBringIn` where the workflow can be given what they need. */
export function tablesAt(place: Place, canBringIn: boolean): TableOffer[] {
  const brought = listsInText(place)
  const offers: TableOffer[] = brought.map((list) => ({ words: `table of ${list.name.replaceAll('_', ' ')}`, list, bringIn: null }))
  if (!canBringIn) return offers
  for (const { option, table } of listsAt({ ...place, roots: new Map() })) {
    const name = table.name
    if (place.roots.has(name) || place.document.bringIn?.some((b) => b.list === option.value || b.name === name)) continue
    offers.push({ words: `table of ${option.label}`, list: { name, table }, bringIn: { name, list: option.value } })
  }
  return offers
}

const COLUMNS = 4

/** A table with a row for each entry of a list: its first fields as columns, but not the link back to the record. The HTML is what the editor takes. */
export function tableOf(list: TextList, of: TableDef): string {
  const fields = list.table.fields.filter((f) => !f.housekeeping && !['long text', 'file'].includes(f.type) && targetOf(f) !== of.name).slice(0, COLUMNS)
  const [entry] = entryOf(list).split(' ')
  const placeholder = (path: string) => `<span data-liquid="{{ ${entry}.${path} }}"></span>`
  const shownPath = (f: (typeof fields)[number]) => (f.type === 'person' ? `${f.name}.name` : f.name)
  const heads = fields.map((f) => `<th style="${CELL_STYLE}">${f.label}</th>`).join('')
  const cells = fields.map((f) => `<td style="${CELL_STYLE}">${placeholder(shownPath(f))}</td>`).join('')
  return `<table style="${TABLE_STYLE}"><tbody><tr>${heads}</tr><tr data-each="${entryOf(list)}">${cells}</tr></tbody></table><p></p>`
}
