import { changeOccasion, crossingOccasion, type Occasion, pressOccasion, stayOccasion, tickOccasion } from '@/core/cues/occasion'
import type { Image, Schema } from '@/core/values/tables'
import { findChange } from '@/store/changes'
import type { Queryable } from '@/store/database'
import { readRecord } from '@/store/records'
import type { KeptOccasion, WrittenOccasion } from '@/store/runs'

/** What is kept of an occasion with its run, so that it can be worked out again; null for a change, which the log has. */
export function keptOf(occasion: Occasion): KeptOccasion | null {
  const common = { at: occasion.at.toISOString(), by: occasion.by }
  switch (occasion.kind) {
    case 'change':
      return null
    case 'stay':
      return { ...common, since: occasion.since.toISOString() }
    case 'tick':
      return { ...common, per: occasion.per, owner: occasion.owner, late: occasion.late, ...(occasion.standing ? { standing: occasion.standing } : {}) }
    case 'crossing':
      return { ...common, crossing: occasion.crossing }
    case 'press':
      return {
        ...common,
        per: occasion.per,
        press: occasion.key.split(' ')[1] ?? '',
        records: occasion.records,
        asked: occasion.asked,
        ...(occasion.standing ? { standing: occasion.standing } : {}),
      }
  }
}

const CHANGE_GONE = 'Its change is no longer in the log.'
const RECORD_GONE = 'Its record is gone.'

/** The occasion of a run, to be worked out again: its change as the log has it, its record as it is now; or why that cannot be. */
export async function readOccasion(db: Queryable, schema: Schema, written: WrittenOccasion): Promise<{ occasion: Occasion } | { gone: string }> {
  const { kind, key, change_id, occasion: kept, tbl, rec } = written
  const change = change_id === null ? null : await findChange(db, schema, change_id, tbl)
  if (kind === 'change') return change ? { occasion: changeOccasion(change) } : { gone: CHANGE_GONE }
  if (!kept) return { gone: 'What set it off was not kept.' }
  const image: Image | null = rec === null ? null : await readRecord(db, { name: tbl }, rec)
  if (rec !== null && !image) return { gone: RECORD_GONE }
  const at = new Date(kept.at)
  const own = { ...(image ? { image } : {}), ...(kept.standing ? { standing: kept.standing } : {}) }
  if (kind === 'stay') {
    if (!image || rec === null) return { gone: RECORD_GONE }
    return { occasion: stayOccasion({ key, table: tbl, record: rec, change, since: new Date(kept.since ?? kept.at), due: at, by: kept.by, image }) }
  }
  if (kind === 'crossing') {
    if (!kept.crossing) return { gone: 'Its crossing was not kept.' }
    return { occasion: crossingOccasion({ id: key.split(' ')[1] ?? '', table: tbl, at, by: kept.by, crossing: kept.crossing }) }
  }
  const per = kept.per ?? 'record'
  if (kind === 'tick') {
    const owner = kept.owner === null || kept.owner === undefined ? {} : { owner: kept.owner }
    return { occasion: tickOccasion({ table: tbl, per: per === 'none' ? 'all' : per, at, late: kept.late ?? false, fitted: false, ...own, ...owner }) }
  }
  return {
    occasion: pressOccasion({
      press: kept.press ?? '',
      table: tbl,
      per: per === 'owner' ? 'all' : per,
      at,
      by: kept.by,
      asked: kept.asked ?? {},
      records: kept.records ?? [],
      ...own,
    }),
  }
}
