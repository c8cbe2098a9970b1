import type { Schema } from '@/core/values/tables'
import type { Write } from '@/core/workflow/plan'
import { readTitles } from '@/store/records'
import { pool } from './environment'

/** Titles of what the values that a run writes, or wrote over, point at, by table and id. */
export async function titlesOfWrites(schema: Schema, writes: readonly Write[]): Promise<[string, string][]> {
  const titles = await Promise.all(
    writes.map(async (write) => {
      const table = schema.get(write.table)
      const images = write.do === 'update' ? [write.set, write.was ?? {}] : [write.set]
      return table ? [...(await readTitles(pool(), schema, table, images))] : []
    }),
  )
  return titles.flat()
}
