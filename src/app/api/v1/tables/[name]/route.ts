import { pool } from '@/app/_server/environment'
import { Problem } from '@/app/_server/problem'
import { objectOf, tableOf } from '@/app/_server/reading'
import { route } from '@/app/_server/route'
import { readTableDef } from '@/core/values/read-table'
import { putTable } from '@/store/tables'

export const PUT = route('PUT /api/v1/tables/[name]', async ({ params, json }) => {
  const name = params.name
  const read = readTableDef(name, objectOf(await json()))
  if ('problems' in read) throw new Problem(422, 'Not valid', `The definition of ${name} has the wrong shape.`, { problems: read.problems })
  await putTable(pool(), read.table)
  const { figures: _, ...table } = (await tableOf(name)).table
  return table
})
