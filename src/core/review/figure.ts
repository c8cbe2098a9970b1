import { isRelativeToClock } from '../conditions/clause'
import { isExactInSql } from '../conditions/sql'
import type { Figure } from '../document/figure'
import { type FigureProblem, reviewFigure } from '../figures/review'
import { baseRoots } from '../paths/roots'
import { reviewCondition } from './clauses'
import { type Finding, type ReviewSetting, reporting } from './context'

/** Everything that is wrong with a figure, with its place. */
export function figureProblems(figure: Figure, setting: ReviewSetting): FigureProblem[] {
  const problems = reviewFigure(figure, setting.schema)
  const table = setting.schema.get(figure.table)
  if (!figure.where || !table) return problems
  const findings: Finding[] = []
  reviewCondition(figure.where, '/where', { setting, table, roots: baseRoots(table), moves: false, ...reporting(findings) })
  const found = findings.filter((f) => f.level === 'error').map(({ code, path, message }) => ({ code, path, message }))
  if (found.length === 0 && isRelativeToClock(figure.where))
    found.push({
      code: 'moves by itself',
      path: '/where',
      message: 'What is so many days ago moves by itself, without a change. Say it as a window: within, such as the last 7 days.',
    })
  else if (found.length === 0 && !isExactInSql(figure.where, table, setting))
    found.push({
      code: 'looks further',
      path: '/where',
      message: `The conditions of a figure look at the ${table.singular.replaceAll('_', ' ')}’s own fields; what looks through a link, or is a formula, cannot be kept up from changes.`,
    })
  return [...problems, ...found]
}
