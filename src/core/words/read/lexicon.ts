import pluralize from 'pluralize'
import { type Token, tokensOf } from './tokens'

interface Node<T> {
  readonly next: Map<string, Node<T>>
  /** What is called so, with the words as they are shown. */
  readonly here: { readonly meant: T; readonly words: string }[]
}

/** Something that was said, and where the words for it end. */
export interface Match<T> {
  readonly meant: T
  readonly words: string
  /** Position of the first token behind it. */
  readonly end: number
}

/** Most nouns of which both numbers are remembered. */
const MOST_KEPT = 20_000

const emptyNode = <T>(): Node<T> => ({ next: new Map(), here: [] })

/** Words that stand for something, found by their beginning: names of tables, fields, choices, people, or words of the language. */
export class Lexicon<T> {
  private readonly root: Node<T> = emptyNode()
  private readonly listed: T[] = []
  /** How many things are named in it. */
  readonly size: number

  constructor(
    entries: Iterable<{ readonly words: string; readonly meant: T; readonly also?: readonly string[] }>,
    /** Whether its words only join others, and are not offered unless they were begun. */
    readonly isFiller = false,
  ) {
    let size = 0
    for (const { words, meant, also = [] } of entries) {
      size++
      this.listed.push(meant)
      for (const said of new Set([words, ...also])) this.add(said, meant, words)
    }
    this.size = size
  }

  private add(said: string, meant: T, words: string): void {
    let node = this.root
    const keys = tokensOf(said)
    if (keys.length === 0) return
    for (const { key } of keys) {
      const next = node.next.get(key) ?? emptyNode<T>()
      node.next.set(key, next)
      node = next
    }
    if (!node.here.some((h) => h.meant === meant)) node.here.push({ meant, words })
  }

  /** Everything that is named in it. */
  all(): readonly T[] {
    return this.listed
  }

  /** Everything that the tokens from a position on may stand for, the longest first. */
  at(tokens: readonly Token[], position: number): Match<T>[] {
    const found: Match<T>[] = []
    let node: Node<T> | undefined = this.root
    for (let end = position; node; end++) {
      found.unshift(...node.here.map((h) => ({ ...h, end })))
      const token = tokens[end]
      node = token && token.kind !== 'quoted' ? node.next.get(token.key) : undefined
    }
    return found
  }

  /** The words that begin as the tokens from a position on do, the last of which may be unfinished; at most so many. */
  beginningWith(tokens: readonly Token[], position: number, most: number): string[] {
    let node: Node<T> | undefined = this.root
    for (const token of tokens.slice(position, -1)) node = node?.next.get(token.key)
    if (!node) return []
    const last = position < tokens.length ? tokens[tokens.length - 1]?.key : undefined
    const begun = last === undefined ? [node] : [...node.next].flatMap(([key, next]) => (key.startsWith(last) ? [next] : []))
    const words = new Set<string>()
    const gather = (from: Node<T>): void => {
      for (const { words: said } of from.here) words.add(said)
      for (const next of from.next.values()) if (words.size < most) gather(next)
    }
    for (const from of begun) if (words.size < most) gather(from)
    return [...words].slice(0, most)
  }
}

/** Whether a noun is said of several, and not of one in the same way. */
export const isPlural = (noun: string): boolean => pluralize.isPlural(noun) && !pluralize.isSingular(noun)

/** A noun as it is said of one and of several: its last word either way. */
export function eitherNumber(words: string): readonly string[] {
  const known = NUMBERS.get(words)
  if (known) return known
  if (NUMBERS.size > MOST_KEPT) NUMBERS.clear()
  const forms = [words, pluralize.plural(words), pluralize.singular(words)]
  NUMBERS.set(words, forms)
  return forms
}

const NUMBERS = new Map<string, readonly string[]>()
