import { apart, pool } from '@/app/_server/environment'
import { figureRowOf } from '@/app/_server/figures'
import { spanOf } from '@/app/_server/reading'
import { route } from '@/app/_server/route'
import { exactly } from '@/core/figures/crossing'
import { listCrossings } from '@/store/figures/crossings'

const MOST_CROSSINGS = 1_000

/** A figure's values over a span, worked out from the log, and the crossings that there were; of one group (its value) where it is given. */
export const GET = route('GET /api/v1/figures/[name]/history', async ({ params, query, inTurn }) => {
  const row = await figureRowOf(params.name)
  const span = spanOf(query)
  const asked = query.get('group')
  const group = asked === null ? null : JSON.stringify(asked === '' ? null : /^-?\d{1,15}$/.test(asked) ? Number(asked) : asked)
  const { lines, ...past } = await inTurn(() => apart().run('figure past', { figure: row.definition, span, group }))
  const crossings = await listCrossings(pool(), row.id, { ...span, group, limit: MOST_CROSSINGS })
  return {
    from: past.from,
    to: past.to,
    lines: lines.map((line) => ({ ...line, points: line.points.map(({ at, value }) => ({ at, value: exactly(value) })) })),
    points: (lines[0]?.points ?? []).map(({ at, value }) => ({ at, value: exactly(value) })),
    crossings: crossings.map(({ id, at, threshold, grp, before, value, n, by, change_id }) => ({
      id,
      at,
      threshold,
      group: JSON.parse(grp),
      before: exactly(before),
      value: exactly(value),
      count: n,
      by,
      change: change_id,
    })),
  }
})
