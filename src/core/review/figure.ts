import { isRelativeToClock, isWorkedOut, someClause } from '../conditions/clause'
import type { Condition } from '../document/condition'
import { type Figure, isComputed } from '../document/figure'
import { figureField } from '../figures/groups'
import type { FigureProblem } from '../figures/problem'
import { reviewFigure } from '../figures/review'
import { partsOf } from '../must'
import { baseRoots } from '../paths/roots'
import { fieldOf, type Schema, type TableDef } from '../values/tables'
import { reviewCondition } from './clauses'
import { type Finding, type ReviewSetting, reporting } from './context'

/** Everything that is wrong with a figure, with its place. */
export function figureProblems(figure: Figure, setting: ReviewSetting): FigureProblem[] {
  const problems = reviewFigure(figure, setting.schema)
  if (isComputed(figure)) return problems
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
  else if (found.length === 0) {
    const far = furthest(figure.where, table, setting.schema)
    if (far) found.push({ code: 'looks further', path: '/where', message: far })
    else if (someClause(figure.where, (clause) => !clause.muted && isWorkedOut(clause)))
      found.push({ code: 'formula', path: '/where', message: 'A formula cannot be kept up from changes. Compare with a value, another field, or a field one link away.' })
  }
  return [...problems, ...found]
}

/** Why a condition looks further than a figure can follow, where it does. */
function furthest(where: Condition, table: TableDef, schema: Schema): string | null {
  let why: string | null = null
  someClause(where, (clause) => {
    for (const side of [clause.field, ...[clause.value, clause.to].flatMap((o) => (typeof o === 'object' && o !== null && 'field' in o ? [o.field] : []))]) {
      const [head, ...rest] = partsOf(side)
      const found = figureField(table, schema, !fieldOf(table, head) && rest.length > 0 ? rest.join('.') : side)
      if ('problem' in found) why ??= found.problem
    }
    return why !== null
  })
  return why
}
