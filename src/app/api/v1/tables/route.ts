import { pool } from '@/app/_server/environment'
import { tableOf } from '@/app/_server/reading'
import { route } from '@/app/_server/route'
import { must } from '@/core/must'
import { reachOf } from '@/core/paths/near'
import { readSchema } from '@/store/tables'

/** All tables, without the figures over them; or, for what is edited, those that paths from one (`near`) reach, with theirs. */
export const GET = route('GET /api/v1/tables', async ({ query }) => {
  const near = query.get('near')
  const schema = near === null ? await readSchema(pool()) : (await tableOf(near)).schema
  if (near !== null) return { tables: [...reachOf(schema, [near])].map((name) => must(schema.get(name))) }
  return { tables: [...schema.values()].filter((t) => t.name !== 'person').map(({ figures: _, ...table }) => table) }
})
