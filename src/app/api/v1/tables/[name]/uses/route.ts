import { pool } from '@/app/_server/environment'
import { tableOf } from '@/app/_server/reading'
import { route } from '@/app/_server/route'
import { usesOfFields, usesOfTable } from '@/store/design/uses'

/** Where a table is used, and each of its fields. */
export const GET = route('GET /api/v1/tables/[name]/uses', async ({ params }) => {
  const { table } = await tableOf(params.name)
  const [uses, fields] = await Promise.all([usesOfTable(pool(), table), usesOfFields(pool(), table)])
  return { uses, fields: Object.fromEntries(fields) }
})
