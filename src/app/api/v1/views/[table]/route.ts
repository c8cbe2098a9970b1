import { pool } from '@/app/_server/environment'
import { tableOf } from '@/app/_server/reading'
import { route } from '@/app/_server/route'
import { listViews } from '@/store/views'

/** One's own views of a table, and everybody's. */
export const GET = route('GET /api/v1/views/[table]', async ({ actor, params }) => {
  const { table } = await tableOf(params.table)
  return { views: await listViews(pool(), table.name, actor.person) }
})
