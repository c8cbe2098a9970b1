import { pool } from '@/app/_server/environment'
import { tableOf } from '@/app/_server/reading'
import { route } from '@/app/_server/route'
import { fieldMoves } from '@/store/moves'

/** How often each field of a table changed in its newest changes. */
export const GET = route('GET /api/v1/tables/[name]/moves', async ({ params }) => {
  const { table } = await tableOf(params.name)
  return { moves: Object.fromEntries(await fieldMoves(pool(), table.name)) }
})
