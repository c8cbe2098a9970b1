import * as yup from 'yup'
import { pool } from '@/app/_server/environment'
import { tableOf } from '@/app/_server/reading'
import { route } from '@/app/_server/route'
import { shaped } from '@/app/_server/shape'
import { orderFields } from '@/store/design/remove'

const orderSchema = yup
  .object({ fields: yup.array(yup.string().strict().required()).strict().max(1_600).required() })
  .noUnknown()
  .strict()

/** Puts a table's fields into an order. */
export const PUT = route('PUT /api/v1/tables/[name]/order', async ({ params, json }) => {
  const { fields } = shaped(orderSchema, await json(), 'The fields were not put in order.')
  await tableOf(params.name)
  await orderFields(pool(), params.name, fields)
  return { fields: (await tableOf(params.name)).table.fields.map((f) => f.name) }
})
