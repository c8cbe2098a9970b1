import * as yup from 'yup'
import { pool } from '@/app/_server/environment'
import { route } from '@/app/_server/route'
import { shaped } from '@/app/_server/shape'
import { attachTable } from '@/store/attach/attach'

const whereSchema = yup.object({ schema: yup.string().strict().required(), table: yup.string().strict().required() }).noUnknown().strict()

/** Attaches another program's table under a name; 422 with the reason where it cannot be. */
export const POST = route('POST /api/v1/tables/[name]/attach', async ({ params, json }) => {
  const { figures: _, ...table } = await attachTable(pool(), params.name, shaped(whereSchema, await json(), 'The table was not attached.'))
  return table
})
