import type { MeasuredFigure } from './installation'
import { Lexicon } from './lexicon'
import type { Scope } from './paths'
import type { Reader } from './reader'
import { FOR_EACH } from './vocabulary'

export const OF_FIGURE = new Lexicon([{ words: 'of', meant: true }], true)

/** “for each route of seats sold this week”: the figure whose groups those are. */
export function overGroup(r: Reader, words: Scope['words']): MeasuredFigure | null {
  return r.attempt(() => {
    if (!r.take(FOR_EACH)) return null
    for (let n = 0; n < 8 && r.token; n++) {
      const figure = r.attempt(() => (r.take(OF_FIGURE) ? r.take(words.figures) : null))
      if (figure !== null) return figure
      r.at++
    }
    return null
  })
}
