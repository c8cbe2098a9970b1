import { RE2JS } from 're2js'
import type { Budget } from '../values/budget'

const FLAGS: Readonly<Record<string, number>> = { s: RE2JS.DOTALL, m: RE2JS.MULTILINE, i: RE2JS.CASE_INSENSITIVE }

/** Most characters of a pattern, so that what it is compiled to stays small. */
const MAX_PATTERN = 500

/**
 * Regular expressions in FEEL that cannot run away: RE2's, which take time in proportion to the text's length times the pattern's and know no
 * references back and no looking around (Cox, “Regular Expression Matching in the Wild”, 2010). A pattern that is none gives null.
 */
function compile(pattern: string, flags: string, text: string, budget: Budget): RE2JS | null {
  if (pattern.length > MAX_PATTERN) return null
  let bits = 0
  for (const flag of flags) {
    const bit = FLAGS[flag]
    if (bit === undefined) return null
    bits |= bit
  }
  budget.spend(sizeOf(pattern))
  budget.spend(Math.ceil((text.length * sizeOf(pattern)) / 8))
  try {
    return RE2JS.compile(pattern, bits)
  } catch {
    return null
  }
}

/** How large a pattern gets when its repetitions are written out, at most. */
function sizeOf(pattern: string): number {
  let size = pattern.length
  for (const [, least, most] of pattern.matchAll(/\{(\d{1,6})(?:,(\d{0,6}))?\}/g)) size *= Math.max(Number(least), Number(most || 0), 1)
  return Math.min(size, Number.MAX_SAFE_INTEGER)
}

/** FEEL's `matches`: whether a text holds what the pattern means. */
export function matches(text: string, pattern: string, flags: string, budget: Budget): boolean | null {
  return compile(pattern, flags, text, budget)?.matcher(text).find() ?? null
}

/** FEEL's `split`: the text between what the pattern means. */
export function split(text: string, pattern: string, budget: Budget): string[] | null {
  const expression = compile(pattern, '', text, budget)
  if (!expression) return null
  const parts: string[] = []
  let from = 0
  for (const { start, end } of found(expression, text)) {
    if (start >= text.length) break
    if (end === from) continue // nothing at all, where the last part ended
    budget.spend(1)
    parts.push(text.slice(from, start))
    from = end
  }
  return [...parts, text.slice(from)]
}

/** FEEL's `replace`: what the pattern means in a text, replaced; `$1` to `$9` stand for its groups, `$0` for all of it. */
export function replace(text: string, pattern: string, replacement: string, flags: string, budget: Budget): string | null {
  const expression = compile(pattern, flags, text, budget)
  if (!expression) return null
  let made = ''
  let from = 0
  for (const { start, end, group } of found(expression, text)) {
    const filled = replacement.replaceAll(/\$([0-9])/g, (_, n: string) => group(Number(n)))
    made += text.slice(from, start) + filled
    budget.spendText(filled.length + 16)
    from = end
  }
  return made + text.slice(from)
}

function* found(expression: RE2JS, text: string) {
  const matcher = expression.matcher(text)
  while (matcher.find()) yield { start: matcher.start(), end: matcher.end(), group: (n: number) => (n <= matcher.groupCount() ? (matcher.group(n) ?? '') : '') }
}
