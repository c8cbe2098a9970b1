import { isWorkedOut, lettingThrough } from '../conditions/clause'
import { compileCondition, type Setting } from '../conditions/compile'
import { looksThroughLink } from '../conditions/sql'
import type { Condition } from '../document/condition'
import { must } from '../must'
import { type ListNeed, LoadedLookups, type Lookups } from '../paths/lookups'
import { compareIds, compareOrdered, isOrdered } from '../values/compare'
import { fieldOf, type Image, idFrom, type Organisation, type TableDef, targetOf } from '../values/tables'

/** A text's order by code points, as PostgreSQL's C collation has it. */
function compareTexts(a: string, b: string): number {
  const [left, right] = [[...a], [...b]]
  for (let i = 0; i < Math.min(left.length, right.length); i++) {
    const difference = must(left[i]?.codePointAt(0)) - must(right[i]?.codePointAt(0))
    if (difference !== 0) return difference
  }
  return left.length - right.length
}

/** Whether an entry meets the condition of a list, judged at a moment over look-ups; whatever stands there where it has none. */
export function entryTest(
  where: Condition | undefined,
  table: TableDef,
  setting: Setting & { readonly organisation: Organisation },
  at: Date,
): (image: Image, lookups: Lookups) => boolean {
  const condition = where ? compileCondition(where, table, setting, '/where') : null
  if (!condition) return () => true
  const by = { kind: 'system' as const, person: null, name: '' }
  return (image, lookups) => condition.test({ kind: 'changed', before: image, after: image, at, by, lookups, organisation: setting.organisation })
}

/** The part of a list's condition that its entries' own fields decide: what looks through a link or is worked out lets everything through. */
export function ownPart(where: Condition | undefined, table: TableDef, setting: Setting): Condition | undefined {
  return where && lettingThrough(where, (clause) => isWorkedOut(clause) || looksThroughLink(clause, { table, setting }))
}

/**
 * The entries of a list out of the records that may be in it: those that the link and the condition let in, in its order, as many as it holds.
 * The condition may read the entries' own fields only. Blank comes last either way, as in SQL with `nulls last`.
 */
export function entriesOf(images: readonly Image[], need: Omit<ListNeed, 'kind'>, table: TableDef, setting: Setting & { readonly organisation: Organisation }, at: Date): Image[] {
  const test = entryTest(need.where, table, setting, at)
  const nothing = new LoadedLookups(new Map())
  const { link } = need
  const inside = images.filter((image) => (!link || idFrom(image[link.field]) === link.id) && test(image, nothing))
  const order = need.order?.replace(/^-/, '') ?? 'id'
  const sign = need.order?.startsWith('-') ? -1 : 1
  const field = fieldOf(table, order)
  const compare = (a: Image, b: Image): number => {
    const [x, y] = [a[order] ?? null, b[order] ?? null]
    if (x === null || y === null) return (x === null ? 1 : 0) - (y === null ? 1 : 0)
    if (!field || targetOf(field) || field.type === 'file') return sign * compareIds(x, y)
    if (field.type === 'yes/no') return sign * (Number(x) - Number(y))
    return sign * (isOrdered(field.type) ? compareOrdered(field.type, x, y) : compareTexts(String(x), String(y)))
  }
  const sorted = inside.sort((a, b) => compare(a, b) || compareIds(a.id ?? null, b.id ?? null))
  return need.limit ? sorted.slice(0, need.limit) : sorted
}
