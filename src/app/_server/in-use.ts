import type { Use } from '@/store/design/mentions'
import { useWords } from '@/store/design/uses'
import { Problem } from './problem'

/** What is said where something is used, with every place. */
export function inUse(what: string, how: string, uses: readonly Use[]): Problem {
  return new Problem(409, 'In use', `${what} by ${uses.map(useWords).join(', ')}. ${how}`, {
    uses,
    problems: uses.map((use) => ({ code: 'in use', path: '', message: useWords(use) })),
  })
}
