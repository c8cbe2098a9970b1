import * as yup from 'yup'
import { apart } from '@/app/_server/environment'
import { Problem } from '@/app/_server/problem'
import { objectOf } from '@/app/_server/reading'
import { route } from '@/app/_server/route'
import { shaped } from '@/app/_server/shape'
import { workflowOf } from '@/app/_server/workflows'
import type { Ways } from '@/core/bulk/ways'
import { readTableDef } from '@/core/values/read-table'
import type { Image } from '@/core/values/tables'
import { shownPlan } from '@/core/workflow/shown'

const rowSchema = yup
  .object({
    /** The field of each cell, by name; null where a column is left out. */
    columns: yup.array(yup.string().strict().defined().nullable()).strict().max(1_000).required(),
    cells: yup.array(yup.string().strict().defined().max(500)).strict().max(1_000).required(),
    ways: yup
      .object({ decimal: yup.string<Ways['decimal']>().strict().oneOf(['.', ',']).required(), dates: yup.string<Ways['dates']>().strict().oneOf(['ymd', 'dmy', 'mdy']).required() })
      .noUnknown()
      .strict()
      .required(),
  })
  .noUnknown()
  .strict()

/** What a workflow on a table that is proposed would send for one of the file's rows; `before`, where given, overlays the row as it was. Nothing is made or sent. */
export const POST = route('POST /api/v1/tables/propose/mail', async ({ actor, json, inTurn }) => {
  const body = objectOf(await json())
  const read = readTableDef(String(objectOf(body.table).name), objectOf(body.table))
  if ('problems' in read) throw new Problem(422, 'Not valid', 'The table has the wrong shape.', { problems: read.problems })
  const { columns, cells, ways } = shaped(rowSchema, body.row, 'The row has the wrong shape.')
  const workflow = await workflowOf(body.workflow)
  if (workflow.bringIn?.length) throw new Problem(422, 'Not valid', 'The table is not there yet: what is tried on it brings in nothing.')
  const fields = columns.map((name) => (name === null ? null : (read.table.fields.find((f) => f.name === name) ?? null)))
  const before = body.before === undefined || body.before === null ? null : (objectOf(body.before) as Image)
  const row = { fields, cells, ways }
  const tried = await inTurn(() => apart().run('try proposed', { workflow, table: read.table, row, before, by: actor.by }))
  if ('fault' in tried) throw new Problem(422, 'The run would fail', tried.fault)
  return shownPlan(tried.plan)
})
