import { pressable } from '@/app/_server/by-hand'
import { apart, now, pool } from '@/app/_server/environment'
import { Problem } from '@/app/_server/problem'
import { route } from '@/app/_server/route'
import { shownPress } from '@/engine/answers/press'
import { keepPressed, runsBefore } from '@/engine/occasions/press'

/** Runs a workflow by hand, or says what that would do; the same press that comes again answers the same runs. */
export const POST = route('POST /api/v1/workflows/[name]/run', async ({ actor, params, body, inTurn }) => {
  const { press, records = [], groups = [], asked = {}, dryRun = false } = await body()
  const row = await pressable(actor, params.name)
  if (!press && !dryRun) throw new Problem(422, 'Not valid', 'press is missing: a UUID that you make for each press, so that one which is sent twice runs once.')
  const before = press && !dryRun ? await runsBefore(pool(), row, press, actor.person) : null
  if (before) return Response.json({ runs: before }, { status: 202 })
  const given = { press: press ?? 'tried', records, groups: groups.map((g) => g ?? null), asked, by: actor.by, at: await now() }
  const tried = await inTurn(() => apart().run('press', { workflow: row.live, asked: given, deciding: !dryRun }))
  if ('problems' in tried) throw new Problem(422, 'Not valid', tried.problems.map((p) => p.message).join(' '), { problems: tried.problems })
  if ('missingGroups' in tried)
    throw new Problem(
      404,
      'Not found',
      `The figure has no group ${tried.missingGroups
        .slice(0, 20)
        .map((g) => JSON.stringify(g))
        .join(', ')} (any more). Nothing was run.`,
    )
  if ('missing' in tried) {
    const ids = tried.missing
    throw new Problem(
      404,
      'Not found',
      `${ids.length === 1 ? 'A record is' : `${ids.length} records are`} not among ${row.live.table} (any more): ${ids.slice(0, 20).join(', ')}. Nothing was run.`,
      { records: ids },
    )
  }
  if (dryRun) return shownPress(tried.pressed, tried.notes)
  return Response.json({ runs: await keepPressed(pool(), row, given, tried.pressed), notes: tried.notes }, { status: 202 })
})
