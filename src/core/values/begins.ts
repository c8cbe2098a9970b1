/** The words of a text as they are compared: small letters, without what stands between. */
const wordsOf = (text: string): string[] =>
  text
    .normalize('NFKC')
    .toLowerCase()
    .split(/[^\p{L}\p{N}]+/u)
    .filter(Boolean)

/** Whether every word that was typed is the beginning of a word of a text, in order: nothing scattered. */
export function beginsInOrder(text: string, typed: string): boolean {
  const words = wordsOf(text)
  let at = 0
  for (const part of wordsOf(typed)) {
    while (at < words.length && !words[at]?.startsWith(part)) at++
    if (at++ >= words.length) return false
  }
  return true
}
