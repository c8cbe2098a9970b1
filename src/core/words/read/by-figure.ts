import { labelOf } from '../../figures/label'
import { figureOf } from '../../figures/of-table'
import type { ReadCue, ScopeOf } from './cue-scope'
import type { MeasuredFigure } from './installation'
import { Lexicon } from './lexicon'
import { readNumber } from './operands'
import type { Scope } from './paths'
import type { Reader } from './reader'
import { CROSSES_A_LINE, DETERMINERS, IF, WHEN } from './vocabulary'

/** “when open claims by owner crosses often”, “when the number of open claims by owner goes above 18”. */
export function byFigure(r: Reader, scopeOf: ScopeOf, words: Scope['words']): ReadCue | null {
  return r.attempt(() => {
    r.take(WHEN) ?? r.take(IF)
    r.take(DETERMINERS)
    const found = r.take(words.thresholds)
    return found ? cueAt(found, found.threshold) : byValue(r, scopeOf, words)
  })
}

const cueAt = ({ table, figure }: MeasuredFigure, threshold: string): ReadCue => ({ table, cue: { kind: 'figure', figure, threshold }, conditions: null })

/** How a figure is counted, which its name may leave out. */
const NUMBER_OF = new Lexicon([{ words: 'number of', meant: true, also: ['count of', 'total of', 'sum of', 'value of', 'total'] }], true)

/** A figure that comes to a value: its threshold of that value. Where it has none there, it is said which it has. */
function byValue(r: Reader, scopeOf: ScopeOf, words: Scope['words']): ReadCue | null {
  const found = r.take(words.measured) ?? r.past([NUMBER_OF], () => r.take(words.measured))
  const when = found && r.take(CROSSES_A_LINE)
  if (!found || !when) return null
  const at = r.at
  const value = readNumber(r, scopeOf(found.table))
  if (value === null) return null
  const figure = figureOf(found.table, found.figure)
  const thresholds = figure?.definition.thresholds ?? []
  const known = thresholds.find((t) => t.when === when && Number(t.value) === Number(value))
  if (!known) {
    r.at = at
    const has = thresholds.map((t) => `${t.name} (${t.when} ${typeof t.value === 'number' ? t.value.toLocaleString('en-GB') : t.value.figure})`)
    r.skip(`${figure ? labelOf(figure.definition) : found.figure} has no threshold there, but ${has.join(', ')}: give it one on its page.`)
  }
  const taken = known ?? thresholds.find((t) => t.when === when) ?? thresholds[0]
  return taken ? cueAt(found, taken.name) : null
}
