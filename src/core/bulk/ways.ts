import type { Ways } from '../values/plain'

/** What a number's text says of its decimal sign; null where it could be either. */
function decimalOf(text: string): '.' | ',' | null {
  const signs = text.replaceAll(/[^.,]/g, '')
  const last = signs.at(-1)
  if (last !== '.' && last !== ',') return null
  if (new Set(signs).size === 2) return last // the one that comes last
  if (signs.length > 1) return last === '.' ? ',' : '.' // what comes several times sets thousands apart
  return /[.,]\d{3}(\D|$)/.test(text) && !/(^|\D)0[.,]\d{3}/.test(text) ? null : last
}

/** Recognises how numbers are written from all of some texts; where they do not tell, as `otherwise`. */
export function recogniseDecimal(texts: Iterable<string>, otherwise: Ways['decimal']): Ways['decimal'] {
  const votes = { '.': 0, ',': 0 }
  for (const text of texts) {
    const told = /\d/.test(text) ? decimalOf(text) : null
    if (told) votes[told]++
  }
  return votes['.'] === votes[','] ? otherwise : votes['.'] > votes[','] ? '.' : ','
}

const PARTS = /^\D*(\d{1,4})[./-](\d{1,2})[./-](\d{1,4})\b/

/** Recognises in what order dates are written from all of some texts; where they do not tell, as `otherwise`. */
export function recogniseDates(texts: Iterable<string>, otherwise: Ways['dates']): Ways['dates'] {
  const votes = { ymd: 0, dmy: 0, mdy: 0 }
  for (const text of texts) {
    const parts = PARTS.exec(text)
    const [first, second] = [parts?.[1] ?? '', Number(parts?.[2])]
    if (first.length === 4) votes.ymd++
    else if (Number(first) > 12) votes.dmy++
    else if (second > 12) votes.mdy++
  }
  const [best] = (['ymd', 'dmy', 'mdy'] as const).toSorted((a, b) => votes[b] - votes[a])
  return best && votes[best] > 0 && Object.values(votes).filter((n) => n === votes[best]).length === 1 ? best : otherwise
}
