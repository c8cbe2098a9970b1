import { stringify } from 'csv-stringify/sync'
import { apart, pool } from '@/app/_server/environment'
import { figureRowOf, shownPoints } from '@/app/_server/figures'
import { Problem } from '@/app/_server/problem'
import { spanOf } from '@/app/_server/reading'
import { route } from '@/app/_server/route'
import { exactly } from '@/core/figures/crossing'
import type { ToldPast } from '@/engine/figures/past'
import { listCrossings } from '@/store/figures/crossings'

const MOST_CROSSINGS = 1_000

/** The points of all lines as CSV (RFC 4180; texts that a spreadsheet would take for formulas are marked as texts) or as lines of JSON. @throws Problem 422 */
function asFile(name: string, lines: ToldPast['lines'], as: string): Response {
  if (as !== 'csv' && as !== 'jsonl') throw new Problem(422, 'Not valid', 'as is csv or jsonl.')
  const rows = lines.flatMap(({ group, title, points }) => points.map(({ at, value }) => ({ at: at.toISOString(), group, title, value: exactly(value) })))
  const text =
    as === 'csv'
      ? stringify(
          rows.map((r) => [r.at, r.group, r.title, r.value]),
          { header: true, columns: ['at', 'group', 'title', 'value'], record_delimiter: 'windows', escape_formulas: true },
        )
      : rows.map((row) => `${JSON.stringify(row)}\n`).join('')
  return new Response(text, {
    headers: { 'content-type': as === 'csv' ? 'text/csv; charset=utf-8; header=present' : 'application/x-ndjson', 'content-disposition': `attachment; filename="${name}.${as}"` },
  })
}

/** A figure's values over a span, worked out from the log, and the crossings that there were; of one group (its value) where it is given. */
export const GET = route('GET /api/v1/figures/[name]/history', async ({ params, query, inTurn }) => {
  const row = await figureRowOf(params.name)
  const span = spanOf(query)
  const asked = query.get('group')
  const group = asked === null ? null : JSON.stringify(asked === '' ? null : /^-?\d{1,15}$/.test(asked) ? Number(asked) : asked)
  const { lines, ...past } = await inTurn(() => apart().run('figure past', { figure: row.definition, span, group }))
  const as = query.get('as')
  if (as !== null) return asFile(row.name, lines, as)
  const crossings = await listCrossings(pool(), row.id, { ...span, group, limit: MOST_CROSSINGS })
  return {
    from: past.from,
    to: past.to,
    behind: past.behind,
    lines: lines.map(({ group, title, points }) => ({ group, title, points: shownPoints(points) })),
    points: shownPoints(lines[0]?.points ?? []),
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
