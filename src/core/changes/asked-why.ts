import { must } from '../must'

/** Words of a question that name nothing. */
const PASSED_OVER = new Set(
  "why how come did does do is was were has have had been didn’t didn't doesn’t doesn't wasn’t wasn't not never no a an the any anyone anybody nobody somebody someone them us me i we you it this that for of about on to tell told send sent mail mailed email emailed alert alerted fire fired set off write wrote get got reach reached happen happened change changed changes".split(
    ' ',
  ),
)

/** What a question that begins with “why” is about, such as `CL-2041` of “why did CL-2041 not tell anyone?”; null where it is no such question. */
export function askedWhy(text: string): string | null {
  const asked = /^\s*why\b(.*)$/is.exec(text)
  if (!asked) return null
  return must(asked[1])
    .replaceAll(/[?!.,;:“”"]+(?=\s|$)|(?<=^|\s)[“”"(]+/g, ' ')
    .split(/\s+/)
    .filter((word) => word !== '' && !PASSED_OVER.has(word.toLowerCase()))
    .join(' ')
}
