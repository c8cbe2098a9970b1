import { pool } from '@/app/_server/environment'
import { Problem } from '@/app/_server/problem'
import { route } from '@/app/_server/route'
import { whyOf } from '@/app/_server/why'
import { rowOf } from '@/app/_server/workflows'
import { shownPlan } from '@/core/workflow/shown'
import { findChange } from '@/store/changes'
import { readSchema } from '@/store/tables'

/**
 * Why a recorded change fired a workflow or did not: clause by clause, with linked data as it stood then, under the version that
 * was live at that moment (else the newest), and what really happened.
 */
export const POST = route('POST /api/v1/why', async ({ actor, body, inTurn }) => {
  const { workflow: name, change: id } = await body()
  const row = await rowOf(actor, name)
  const change = await findChange(pool(), await readSchema(pool()), id, (row.live ?? row.draft).table)
  if (!change)
    throw new Problem(
      404,
      'Not found',
      `There is no change ${id}. Changes go by the id of their last row in the log, and are kept for the months that the settings say; GET /changes lists them.`,
    )
  const { version, state, settled, run: really } = await inTurn(() => whyOf(row, change))
  if ('fault' in settled) throw new Problem(422, 'The run would fail', settled.fault)
  const plan = shownPlan(settled.plan)
  const notes = [...plan.notes, { code: 'as of', path: '', message: 'Linked records, lists, people and teams are those of that moment; groups are those of now.' }]
  return { ...plan, why: `${plan.why} ${state}`, notes, version, run: really }
})
