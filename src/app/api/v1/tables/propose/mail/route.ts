import { apart } from '@/app/_server/environment'
import { Problem } from '@/app/_server/problem'
import { objectOf } from '@/app/_server/reading'
import { route } from '@/app/_server/route'
import { workflowOf } from '@/app/_server/workflows'
import { readTableDef } from '@/core/values/read-table'
import type { Image } from '@/core/values/tables'
import { shownPlan } from '@/core/workflow/shown'

/** What a workflow on a table that is proposed would send for one of the file's rows; `before`, where given, overlays the row as it was. Nothing is made or sent. */
export const POST = route('POST /api/v1/tables/propose/mail', async ({ actor, body, inTurn }) => {
  const given = await body()
  const read = readTableDef(String(objectOf(given.table).name), objectOf(given.table))
  if ('problems' in read) throw new Problem(422, 'Not valid', 'The table has the wrong shape.', { problems: read.problems })
  const { columns, cells, ways } = given.row
  const workflow = await workflowOf(given.workflow)
  if (workflow.bringIn?.length) throw new Problem(422, 'Not valid', 'The table is not there yet: what is tried on it brings in nothing.')
  const fields = columns.map((name) => (name === null ? null : (read.table.fields.find((f) => f.name === name) ?? null)))
  const before = given.before === undefined || given.before === null ? null : (objectOf(given.before) as Image)
  const row = { fields, cells, ways }
  const tried = await inTurn(() => apart().run('try proposed', { workflow, table: read.table, row, before, by: actor.by }))
  if ('fault' in tried) throw new Problem(422, 'The run would fail', tried.fault)
  return shownPlan(tried.plan)
})
