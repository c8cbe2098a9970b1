import type { Figure, Threshold } from '../document/figure'
import { isComputed } from '../document/figure'
import type { Schema } from '../values/tables'
import { circleOf } from './computed'
import { groupingOf, sameGroups } from './groups'
import type { Report } from './problem'

/** Reports what is wrong with the thresholds of a figure. */
export function reviewThresholds(figure: Figure, schema: Schema, all: ReadonlyMap<string, Figure>, error: Report): void {
  const thresholds = figure.thresholds ?? []
  thresholds.forEach((threshold, i) => {
    const path = `/thresholds/${i}`
    if (thresholds.findIndex((t) => t.name === threshold.name) < i) error('name taken', `${path}/name`, `There are two thresholds called ${JSON.stringify(threshold.name)}.`)
    const { value } = threshold
    if (typeof value === 'number') reviewRearm(threshold, value, path, error)
    else reviewLine(figure, value.figure, `${path}/value`, schema, all, error)
  })
}

function reviewRearm({ rearm, when }: Threshold, value: number, path: string, error: Report): void {
  if (rearm === undefined) return
  const isUp = when === 'above' || when === 'at least'
  if (isUp ? rearm > value : rearm < value)
    error(
      're-arm beyond',
      `${path}/rearm`,
      `It is re-armed at ${rearm}, which is beyond ${value} itself. Give a value ${isUp ? 'at or below' : 'at or above'} it, or leave it out.`,
    )
}

/** A threshold at another figure's value: it is there, does not look back, and has the same groups or none. */
function reviewLine(figure: Figure, name: string, path: string, schema: Schema, all: ReadonlyMap<string, Figure>, error: Report): void {
  const line = all.get(name)
  if (!line || name === figure.name) {
    const others = [...all.keys()].filter((n) => n !== figure.name)
    const what = line ? 'A figure cannot be its own threshold.' : `There is no figure ${JSON.stringify(name)}.`
    return error('unknown figure', `${path}/figure`, `${what} ${others.length ? `There are ${others.slice(0, 20).join(', ')}.` : 'Make one first, or give a number.'}`)
  }
  const circle = isComputed(figure) && circleOf({ ...figure, thresholds: [] }, all) ? null : circleOf(figure, all)
  if (circle)
    return error(
      'circle',
      `${path}/figure`,
      `${name} looks back at ${figure.name} (${circle.join(' → ')}), so neither could be worked out first. Choose another, or give a number.`,
    )
  const [own, other] = [groupingOf(figure, schema, all), groupingOf(line, schema, all)]
  if (other && !(own && sameGroups(own, other)))
    error(
      'other groups',
      `${path}/figure`,
      own
        ? `${figure.name} is by ${own.field.label.toLowerCase()} and ${name} by ${other.field.label.toLowerCase()}, so their groups cannot be matched.`
        : `${name} has a value for each ${other.field.label.toLowerCase()}, and ${figure.name} has one alone. Group both alike, or neither.`,
    )
}
