import { isComputed, measureOf } from '@/core/document/figure'
import { compileComputed } from '@/core/figures/computed'
import { valueOfNothing } from '@/core/figures/parts'
import { begunOf, countOf, groupsOf, type Track } from '@/core/figures/together'
import { many, type Queryable, touch } from '../database'
import type { FigureRow } from './rows'
import { type GroupRow, writeGroups } from './values'

/** Works a computed figure out anew from what the figures that it names have come to. Its sides are left to whoever asks. */
export async function recompute(db: Queryable, row: FigureRow, rows: ReadonlyMap<string, FigureRow>, at: Date): Promise<void> {
  const { id, definition } = row
  if (!isComputed(definition)) return
  await touch(db, 'delete from rappel.figure_value where figure = $1', [id])
  await writeGroups(db, id, await computed(db, row, rows), at)
}

/** What a computed figure comes to by what its parts have come to. */
export async function computed(db: Queryable, { definition }: FigureRow, rows: ReadonlyMap<string, FigureRow>): Promise<GroupRow[]> {
  if (!isComputed(definition)) return []
  const { names, work } = compileComputed(definition)
  const tracks = await Promise.all(names.map((name) => trackNow(db, rows.get(name), rows)))
  return groupsOf(tracks).map((grp) => ({ grp, n: countOf(tracks, grp), total: '0', value: work(begunOf(tracks, grp)), sides: {} }))
}

/** Whether a figure has groups, by what it is defined as. */
export function isGrouped({ definition }: Pick<FigureRow, 'definition'>, rows: ReadonlyMap<string, FigureRow>, depth = 0): boolean {
  if (!isComputed(definition)) return definition.by !== undefined
  if (depth > rows.size) return false
  return compileComputed(definition).names.some((name) => {
    const part = rows.get(name)
    return part !== undefined && isGrouped(part, rows, depth + 1)
  })
}

/** What a group of a figure comes to that has no records. */
export const nothingOf = ({ definition }: Pick<FigureRow, 'definition'>) => (isComputed(definition) ? null : valueOfNothing(measureOf(definition.of).kind))

/** A figure as it stands, as others are followed with it. */
async function trackNow(db: Queryable, row: FigureRow | undefined, rows: ReadonlyMap<string, FigureRow>): Promise<Track> {
  const groups = row
    ? await many<{ grp: string; value: string | null; n: number }>(db, 'select grp::text as grp, value::text as value, n from rappel.figure_value where figure = $1', [row.id])
    : []
  return {
    isGrouped: row ? isGrouped(row, rows) : false,
    begun: new Map(groups.map((g) => [g.grp, g.value])),
    counts: new Map(groups.map((g) => [g.grp, Number(g.n)])),
    steps: new Map(),
    nothing: row ? nothingOf(row) : null,
  }
}
