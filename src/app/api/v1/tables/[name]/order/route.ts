import { pool } from '@/app/_server/environment'
import { tableOf } from '@/app/_server/reading'
import { route } from '@/app/_server/route'
import { orderFields } from '@/store/design/remove'

/** Puts a table's fields into an order. */
export const PUT = route('PUT /api/v1/tables/[name]/order', async ({ params, body }) => {
  const { fields } = await body()
  await tableOf(params.name)
  await orderFields(pool(), params.name, fields)
  return { fields: (await tableOf(params.name)).table.fields.map((f) => f.name) }
})
