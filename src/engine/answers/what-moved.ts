import { group } from 'd3'
import { clausesOf } from '@/core/document/condition'
import { readable } from '@/core/values/readable'
import type { FieldDef, Image, Organisation, Schema, Stored } from '@/core/values/tables'
import { movedWords } from '@/core/words/moved'
import type { Queryable } from '@/store/database'
import { readTitles } from '@/store/records'
import { type RunRow, readWhatMoved } from '@/store/runs'
import type { WorkflowRow } from '@/store/workflows'

/** Runs with what changed for each in a few words, null where no change set it off, and how many notices it gave. */
export async function withWhatMoved(
  db: Queryable,
  runs: readonly RunRow[],
  workflows: readonly WorkflowRow[],
  schema: Schema,
  organisation: Organisation,
): Promise<(RunRow & { moved: string | null; notices: number })[]> {
  const kept = await readWhatMoved(
    db,
    runs.map((r) => r.id),
  )
  const titles = new Map<string, string>()
  for (const [name, own] of group(runs, (r) => r.table)) {
    const table = schema.get(name)
    const images = own.flatMap((r) => [kept.get(r.id)?.change?.before, kept.get(r.id)?.change?.after]).filter((image): image is Image => image !== null && image !== undefined)
    if (table) for (const [key, title] of await readTitles(db, schema, table, images)) titles.set(key, title)
  }
  const shown = (field: FieldDef, value: Stored) => readable(field, value, titles, organisation)
  const looked = new Map(workflows.map((w) => [w.name, clausesOf((w.live ?? w.draft).conditions).map((c) => c.field)]))
  return runs.map((run) => {
    const { change = null, notices = 0 } = kept.get(run.id) ?? {}
    const table = schema.get(run.table)
    return { ...run, notices, moved: change && table ? movedWords(change, table, looked.get(run.workflow) ?? [], shown) || null : null }
  })
}
