import type { Limits } from '../../document/document'
import type { Gathered } from './recipients'

/** What actions are read into: what has to be brought in, limits, and which facts mail was asked to say. */
export interface Deeds extends Gathered {
  limits: Limits
  /** Paths that an email was asked to say, by the action’s name. */
  readonly says: Map<string, string[]>
  /** Names that actions have. */
  readonly names: Set<string>
}

export const noDeeds = (): Deeds => ({ bringIn: [], limits: {}, says: new Map(), names: new Set() })

/** A name that no other action has: the word with the next free number. */
export function nameOf(word: string, { names }: Deeds): string {
  let n = 1
  while (names.has(`${word}_${n}`)) n++
  names.add(`${word}_${n}`)
  return `${word}_${n}`
}
