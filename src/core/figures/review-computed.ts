import type { ComputedFigure, Figure } from '../document/figure'
import { formulaProblem } from '../formula/formula'
import { parseFormula } from '../formula/syntax'
import { nearest } from '../paths/path'
import type { Schema } from '../values/tables'
import { circleOf, namesIn, rootsOf } from './computed'
import { groupingOf, sameGroups } from './groups'
import type { Report } from './problem'

/** Other figures that one formula may name, and all together that it may come down to. */
const MOST_PARTS = 20

/** Reports what is wrong with a figure that is worked out from others: names, circles, and groups that do not match. */
export function reviewComputed(figure: ComputedFigure, schema: Schema, all: ReadonlyMap<string, Figure>, error: Report): void {
  const { formula } = figure
  const problem = formulaProblem(formula)
  if (problem) return error('formula', '/formula', problem)
  const names = namesIn(formula)
  const others = [...all.keys()].filter((name) => name !== figure.name)
  const unknown = names.filter((name) => !all.has(name))
  for (const name of unknown) {
    const near = nearest(name, others)
    error(
      'unknown figure',
      '/formula',
      `There is no figure ${JSON.stringify(name)}${near ? `; did you mean ${near}?` : `. There ${others.length ? `are ${others.slice(0, 20).join(', ')}` : 'is none yet'}.`}`,
    )
  }
  if (unknown.length) return
  if (names.length === 0)
    return error('no figure', '/formula', 'The formula names no figure, so its value never changes. Name at least one, such as on_time / sailings_this_week * 100.')
  if (callsClock(formula))
    return error('moves by itself', '/formula', 'now() and today() move by themselves, without a change. Say it as a window of the figures that the formula names.')
  const circle = circleOf(figure, all)
  if (circle) return error('circle', '/formula', `It would be worked out from itself: ${circle.join(' → ')}. Take one of them out.`)
  if (names.length > MOST_PARTS || rootsOf(figure, all).length > MOST_PARTS)
    return error('too many figures', '/formula', `A formula names at most ${MOST_PARTS} figures, also through others.`)
  const grouped = names.flatMap((name) => {
    const part = all.get(name)
    const grouping = part && groupingOf(part, schema, all)
    return grouping ? [{ name, grouping }] : []
  })
  const [first] = grouped
  const odd = first && grouped.find((g) => !sameGroups(g.grouping, first.grouping))
  if (first && odd)
    error(
      'other groups',
      '/formula',
      `${first.name} is by ${first.grouping.field.label.toLowerCase()} and ${odd.name} by ${odd.grouping.field.label.toLowerCase()}, so their groups cannot be matched. Group both alike, or one of them not at all.`,
    )
}

const callsClock = (formula: string): boolean => {
  const parsed = parseFormula(formula)
  return 'tree' in parsed && /\b(now|today)\s*\(/.test(formula.replaceAll(/"(\\.|[^"\\])*"/g, '""'))
}
