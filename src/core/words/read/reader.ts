import { must } from '../../must'
import type { Lexicon, Match } from './lexicon'
import { MOST_READ, type Token, tokensOf } from './tokens'

/** Words that were not understood, and what could stand there. */
export interface Unread {
  /** Characters, the first counted 0; `to` is behind the last. */
  readonly from: number
  readonly to: number
  readonly message: string
  readonly could: readonly string[]
}

/** A place where words can be meant in more than one way; which is taken, the first unless another was picked. */
export interface Fork {
  /** The token that it begins at, which picks go by. */
  readonly at: number
  readonly ways: readonly string[]
}

type Known = Lexicon<unknown>

/** Words that were not understood; what could stand there is worked out when it is asked for. */
class Mark implements Unread {
  constructor(
    readonly from: number,
    readonly to: number,
    readonly message: string,
    private readonly reader: Reader,
    private readonly at: number,
  ) {}

  get could(): readonly string[] {
    return this.reader.couldAt(this.at)
  }

  upTo(to: number): Mark {
    return new Mark(this.from, to, this.message, this.reader, this.at)
  }
}

/** Most steps that one reading takes; hostile texts end there, and what is left is marked. */
const MOST_STEPS = 60_000
/** Most words that were typed of something that is named by several. */
const LONGEST_BEGUN = 4
/** Most things offered where something was not understood. */
const MOST_OFFERED = 8

/** Parts of a text, each from a token up to before another. */
export type Order = readonly (readonly [number, number?])[]

/** What stands between parts of a text that are read in another order. */
const SEAM = { kind: 'sign', text: ',', key: ',', whose: false } as const

/** Goes through a text token by token, remembering what could have stood where, what was not understood, and where more than one thing can be meant. */
export class Reader {
  readonly tokens: readonly Token[]
  private readonly marks: Unread[] = []
  private found: Fork[] = []
  private readonly expected = new Map<number, Set<Known>>()
  private steps = 0
  at = 0

  constructor(
    readonly text: string,
    /** Which way is taken at a fork, by its token. */
    private readonly picks: ReadonlyMap<number, number> = new Map(),
    /** Most steps that this reading takes. */
    private readonly most = MOST_STEPS,
    /** The order in which parts of it are read, each from a token up to before another, as if commas stood between them. */
    order: Order = [],
  ) {
    const tokens = tokensOf(text.slice(0, MOST_READ))
    const parts = order.map(([from, to]) => tokens.slice(from, to)).filter((part) => part.length > 0)
    this.tokens = parts.length ? parts.flatMap((part, i) => (i === 0 ? part : [{ ...SEAM, from: text.length, to: text.length }, ...part])) : tokens
    if (text.length > MOST_READ) this.marks.push({ from: MOST_READ, to: text.length, message: `At most ${MOST_READ.toLocaleString('en-GB')} characters are read.`, could: [] })
  }

  get token(): Token | undefined {
    return this.steps > this.most ? undefined : this.tokens[this.at]
  }

  get isDone(): boolean {
    return this.token === undefined
  }

  /** What was not understood, in order. */
  get unread(): readonly Unread[] {
    return this.marks.map(({ from, to, message, could }) => ({ from, to, message, could })).sort((a, b) => a.from - b.from)
  }

  /** Whether everything so far was understood. */
  get isClear(): boolean {
    return this.marks.length === 0
  }

  /** The places so far where more than one thing can be meant. */
  get forks(): readonly Fork[] {
    return this.found
  }

  /** Everything that may stand here of a list of words, the longest first; nothing is taken yet. */
  matches<T>(lexicon: Lexicon<T>): Match<T>[] {
    this.steps++
    if (this.token === undefined && this.at < this.tokens.length) return []
    const expected = this.expected.get(this.at) ?? new Set()
    expected.add(lexicon)
    this.expected.set(this.at, expected)
    return lexicon.at(this.tokens, this.at)
  }

  /** Takes the longest words of a list that stand here. */
  take<T>(lexicon: Lexicon<T>): T | null {
    const [first, ...others] = this.matches(lexicon)
    if (!first) return null
    const at = this.at
    const alike = [first, ...others.filter((o) => o.end === first.end)]
    const chosen = this.pick(
      at,
      alike.map((a) => a.words),
      alike,
    )
    this.at = chosen.end
    return chosen.meant
  }

  /** One of several ways in which words can be meant, which a reading may have picked; others are offered. */
  pick<W>(at: number, words: readonly string[], ways: readonly W[]): W {
    if (ways.length > 1 && !this.found.some((f) => f.at === at)) this.found.push({ at, ways: words })
    return must(ways[Math.min(this.picks.get(at) ?? 0, ways.length - 1)])
  }

  /** Takes a sign, such as a comma. */
  sign(...signs: readonly string[]): boolean {
    const token = this.token
    if (token?.kind !== 'sign' || !signs.includes(token.key)) return false
    this.at++
    return true
  }

  /** Tries something; where it gives null nothing was taken, and nothing marked. */
  attempt<T>(read: () => T | null): T | null {
    const [at, forks, unread] = [this.at, this.found, this.marks.length]
    this.found = [...forks]
    const value = read()
    if (value !== null) return value
    this.at = at
    this.found = forks
    this.marks.length = unread
    return null
  }

  /** Tries something behind words and signs that may stand before it, or not. */
  past<T>(optional: readonly (Known | string)[], read: () => T | null): T | null {
    return this.attempt(() => {
      for (const one of optional) {
        if (typeof one === 'string') this.sign(one)
        else this.take(one)
      }
      return read()
    })
  }

  /** Takes what stands between the parts of a list: a comma, these words, or both; false where neither does. */
  further(...words: readonly Known[]): boolean {
    const comma = this.sign(',')
    const word = words.some((lexicon) => this.take(lexicon) !== null)
    return comma || word
  }

  /** What would be read here; nothing is taken, nothing marked. */
  ahead<T>(read: () => T): T {
    const [at, forks, unread] = [this.at, this.found, this.marks.length]
    this.found = [...forks]
    const value = read()
    this.at = at
    this.found = forks
    this.marks.length = unread
    return value
  }

  /** Whether something would be read here; nothing is taken. */
  sees(read: () => unknown): boolean {
    return Boolean(this.ahead(read))
  }

  /** Marks the next token as not understood and passes over it. */
  skip(message = 'This was not understood.'): void {
    const token = this.token
    if (!token) {
      this.giveUp()
      return
    }
    const last = this.marks[this.marks.length - 1]
    if (last && last.to <= token.from && this.text.slice(last.to, token.from).trim() === '') {
      this.marks[this.marks.length - 1] = last instanceof Mark ? last.upTo(token.to) : { ...last, to: token.to }
    } else this.marks.push(new Mark(token.from, token.to, message, this, this.at))
    this.at++
  }

  /** Marks a token that was read, but cannot be meant so. */
  mark(at: number, message: string): void {
    const token = this.tokens[at]
    if (token) this.marks.push({ from: token.from, to: token.to, message, could: [] })
  }

  /** Marks the rest, where the text is too tangled to be read through. */
  private giveUp(): void {
    const rest = this.tokens.slice(this.at)
    if (rest.length)
      this.marks.push({
        from: Math.min(...rest.map((t) => t.from)),
        to: Math.max(...rest.map((t) => t.to)),
        message: 'This is too long to be read through: say it in several lines.',
        could: [],
      })
    this.at = this.tokens.length
  }

  /** What could stand at a token, as far as it begins as that does; all that could where nothing does. */
  couldAt(position: number): string[] {
    const lists = [...(this.expected.get(position) ?? [])]
    const token = this.tokens[position]
    const upTo = token ? this.tokens.slice(0, position + 1) : this.tokens
    const begun = token ? lists.flatMap((l) => l.beginningWith(upTo, position, MOST_OFFERED)) : []
    const all = begun.length
      ? begun
      : lists
          .filter((l) => !l.isFiller)
          .sort((a, b) => a.size - b.size)
          .flatMap((l) => l.beginningWith(this.tokens.slice(0, position), position, 3))
    return [...new Set(all)].slice(0, MOST_OFFERED)
  }

  /** How the text can go on at its end: the words that its last, unfinished one begins, and where that begins. */
  completions(most: number): { readonly from: number; readonly words: readonly string[] } {
    const isOpen = this.tokens.length > 0 && !/\s$/.test(this.text)
    for (let back = isOpen ? LONGEST_BEGUN : 0; back >= (isOpen ? 1 : 0); back--) {
      const position = this.tokens.length - back
      const from = this.tokens[position]?.from ?? this.text.length
      const typed = this.text.slice(from).toLowerCase()
      const words = [...(this.expected.get(position) ?? [])]
        .flatMap((list) => list.beginningWith(this.tokens, position, most))
        .filter((w) => w.length > typed.length && w.toLowerCase().startsWith(typed))
      if (words.length) return { from, words: [...new Set(words)].slice(0, most) }
    }
    return { from: this.text.length, words: [] }
  }
}
