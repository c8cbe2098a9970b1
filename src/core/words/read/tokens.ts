/** What a piece of a text is: a word, a number, a text in quotes, something written exactly, an address, or any other sign. */
export type TokenKind = 'word' | 'number' | 'quoted' | 'exact' | 'address' | 'sign'

/** A piece of a text, and where it stands. */
export interface Token {
  readonly kind: TokenKind
  /** As it is compared: small letters, without an ending that says whose. */
  readonly key: string
  /** Of quotes what stands in them, else as it was typed. */
  readonly text: string
  /** Characters, the first counted 0; `to` is behind the last. */
  readonly from: number
  readonly to: number
  /** Whether it says that what follows belongs to it: “claim’s”, “passengers’”. */
  readonly whose: boolean
}

/** Most characters that are read as words; what stands behind them is marked. */
export const MOST_READ = 5_000

const PIECES = new RegExp(
  [
    String.raw`(?<json>"(?:[^"\\\n]|\\.)*")`,
    '(?<curly>“[^”]*”)',
    '(?<exact>`[^`]*`)',
    String.raw`(?<place>\{\{.*?\}\})`,
    String.raw`(?<address>[^\s,;:<>()"“”]+@[^\s,;:<>()"“”]*[\p{L}\p{N}])`,
    String.raw`(?<date>\d{4}-\d{2}-\d{2}(?:[T ]\d{2}:\d{2}(?::\d{2}(?:\.\d+)?)?(?:Z|[+-]\d{2}:?\d{2})?)?)`,
    String.raw`(?<number>(?<![\p{L}\p{N}])[-+−]?\p{Sc}?[-+−]?\d+(?:[.,:/’'\u00a0\u202f]\d+)*(?![\p{L}\p{N}_])(?:\s?\p{Sc})?)`,
    String.raw`(?<word>[\p{L}\p{N}\p{M}]+(?:[’'-][\p{L}\p{N}\p{M}]+)*[’']?)`,
    String.raw`(?<sign>[^\s_])`,
  ].join('|'),
  'gsu',
)

const KEPT = new Map<string, readonly Token[]>()
/** Longest text whose parts are remembered, and how many of them are: names and lines are taken apart again and again. */
const LONGEST_KEPT = 200
const MOST_KEPT = 5_000

/** Takes a text apart. Never fails; unpaired quotes are signs. */
export function tokensOf(text: string): readonly Token[] {
  if (text.length > LONGEST_KEPT) return takenApart(text)
  const known = KEPT.get(text)
  if (known) return known
  if (KEPT.size >= MOST_KEPT) KEPT.clear()
  const tokens = takenApart(text)
  KEPT.set(text, tokens)
  return tokens
}

function takenApart(text: string): Token[] {
  const tokens: Token[] = []
  for (const found of text.matchAll(PIECES)) {
    const { json, curly, exact, place, address, date, number, word } = found.groups ?? {}
    const at = { from: found.index, to: found.index + found[0].length }
    if (json !== undefined || curly !== undefined || place !== undefined) tokens.push({ ...at, ...quoted(json, curly, place) })
    else if (exact !== undefined) tokens.push({ ...at, ...piece('exact', exact.slice(1, -1)) })
    else if (address !== undefined) tokens.push({ ...at, ...piece('address', address) })
    else if (date !== undefined || number !== undefined) tokens.push({ ...at, ...piece('number', found[0]) })
    else if (word !== undefined) tokens.push({ ...at, ...wordOf(word) })
    else tokens.push({ ...at, ...piece('sign', found[0]) })
  }
  return tokens
}

const folded = (text: string) => text.normalize('NFKC').toLowerCase()

const piece = (kind: TokenKind, text: string) => ({ kind, text, key: folded(text), whose: false })

function quoted(json: string | undefined, curly: string | undefined, place: string | undefined) {
  if (json === undefined) return piece('quoted', curly?.slice(1, -1) ?? place ?? '')
  try {
    return piece('quoted', String(JSON.parse(json)))
  } catch {
    return piece('quoted', json.slice(1, -1)) // a backslash that escapes nothing
  }
}

/** A word without the ending that says whose: “claim’s” is claim, “passengers’” passengers. */
function wordOf(text: string) {
  const key = folded(text).replaceAll('’', "'")
  const bare = key.replace(/'s$|(?<=s)'$/, '')
  return { kind: 'word' as const, text, key: bare.replace(/'$/, ''), whose: bare !== key }
}
