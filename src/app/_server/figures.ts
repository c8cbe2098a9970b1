import type { Figure } from '@/core/document/figure'
import { readFigure } from '@/core/document/schema-figure'
import { exactly, groupValue } from '@/core/figures/crossing'
import type { Point } from '@/core/figures/history'
import { figureProblems } from '@/core/review/figure'

import { titlesOfGroups } from '@/engine/figures/past'
import { readReviewSetting, readSurroundings } from '@/engine/program'
import { readFigureRow } from '@/store/figures/definitions'
import type { FigureRow } from '@/store/figures/rows'
import { listGroups } from '@/store/figures/values'
import { baseUrl, pool } from './environment'
import { Problem } from './problem'

/** Groups that are answered with a figure, those with the highest values. */
const MOST_GROUPS = 1_000

/** A figure read from a body. @throws Problem 422 with every problem and its place */
export async function figureOf(input: unknown, name?: string): Promise<Figure> {
  const given = name === undefined || typeof input !== 'object' || input === null ? input : { ...input, name }
  const read = readFigure(given)
  if ('problems' in read) throw new Problem(422, 'Not valid', 'The figure has the wrong shape.', { problems: read.problems.map((p) => ({ code: 'wrong shape', ...p })) })
  const problems = figureProblems(read.figure, await readReviewSetting(pool()))
  if (problems.length) throw new Problem(422, 'Not valid', problems.map((p) => p.message).join(' '), { problems })
  return read.figure
}

/** Points of a history as the API tells them. */
export const shownPoints = (points: readonly Point[]) => points.map(({ at, value }) => ({ at, value: exactly(value) }))

/** A figure by its name. @throws Problem 404 */
export async function figureRowOf(name: string): Promise<FigureRow> {
  const row = await readFigureRow(pool(), name)
  if (!row) throw new Problem(404, 'Not found', `There is no figure called ${JSON.stringify(name)}.`)
  return row
}

/** A figure as it stands, with its groups. */
export async function shownFigure(row: FigureRow, most = MOST_GROUPS) {
  const { definition, moved_at: at, version, fault } = row
  const groups = await listGroups(pool(), row.id, most)
  const titles = await titlesOfGroups(
    pool(),
    definition,
    await readSurroundings(pool(), baseUrl()),
    groups.map((g) => g.grp),
  )
  return {
    definition,
    at,
    version,
    ...(fault ? { fault } : {}),
    groups: groups.map(({ grp, n, value, sides }) => ({ group: groupValue(grp), title: titles.get(grp) ?? '', value: exactly(value), count: n, sides })),
  }
}
