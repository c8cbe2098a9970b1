import { ZxcvbnFactory } from '@zxcvbn-ts/core'
import { adjacencyGraphs, dictionary } from '@zxcvbn-ts/language-common'

/** Fewest characters of a password, and most (OWASP ASVS 4.0.3, 2.1.1 and 2.1.2). */
export const SHORTEST_PASSWORD = 12
export const LONGEST_PASSWORD = 128

/** Characters of a password that are looked at: guessing goes no further, and the work of judging stays bounded. */
const LOOKED_AT = 48

/** How many guesses a password must withstand, on a scale from 0 to 4: 3 is a hundred million. */
const LEAST_SCORE = 3

let judge: ZxcvbnFactory | undefined

/**
 * Why a password is refused, in a sentence that says how to choose another; null for one that is taken. `known` are words that anybody
 * would try first: the person's name and address, the organisation's name.
 */
export function passwordFault(password: string, known: readonly string[] = []): string | null {
  const length = [...password].length
  if (length < SHORTEST_PASSWORD) return `Choose a password of at least ${SHORTEST_PASSWORD} characters; a phrase of three or four words is easy to remember.`
  if (length > LONGEST_PASSWORD) return `Choose a password of at most ${LONGEST_PASSWORD} characters.`
  judge ??= new ZxcvbnFactory({ dictionary, graphs: adjacencyGraphs })
  const words = known.flatMap((k) => [k, ...k.split(/[^\p{L}\p{N}]+/u)]).filter((w) => w.length > 2)
  const bare = words.reduce((rest, word) => rest.replaceAll(word.toLowerCase(), ''), password.toLowerCase())
  if ([...bare].length < SHORTEST_PASSWORD / 2)
    return 'That is a name or an address that anybody would try first. Choose a phrase of three or four words that has nothing to do with you.'
  const { score } = judge.check(password.slice(0, LOOKED_AT), words)
  if (score < LEAST_SCORE) return 'That password is among the first that are tried: a common one, or a pattern. Choose a phrase of three or four words instead.'
  return null
}
