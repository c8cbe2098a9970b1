import * as yup from 'yup'
import { pool } from '@/app/_server/environment'
import { inUse } from '@/app/_server/in-use'
import { tableOf } from '@/app/_server/reading'
import { route } from '@/app/_server/route'
import { shaped } from '@/app/_server/shape'
import { renameField } from '@/store/design/rename'

const renameSchema = yup
  .object({
    field: yup.string().strict().required(),
    to: yup.string().strict().max(59).required(),
    label: yup.string().strict().trim().min(1).max(120),
    anyway: yup.boolean().strict().default(false),
  })
  .noUnknown()
  .strict()

/** Gives a field another name, and whatever speaks of it with it; 409 with the places, unless `anyway`. */
export const POST = route('POST /api/v1/tables/[name]/rename-field', async ({ actor, params, json }) => {
  const { field, to, label, anyway } = shaped(renameSchema, await json(), 'The field was not renamed.')
  const { done, uses } = await renameField(pool(), { table: params.name, from: field, to, label }, anyway, actor.person)
  if (!done) throw inUse(`${field} is used`, 'They go along with `anyway`.', uses)
  const { figures: _, ...table } = (await tableOf(params.name)).table
  return { ...table, uses }
})
