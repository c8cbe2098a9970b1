import { pool } from '@/app/_server/environment'
import { route } from '@/app/_server/route'
import { attachTable } from '@/store/attach/attach'

/** Attaches another program's table under a name; 422 with the reason where it cannot be. */
export const POST = route('POST /api/v1/tables/[name]/attach', async ({ params, body }) => {
  const { figures: _, ...table } = await attachTable(pool(), params.name, await body())
  return table
})
