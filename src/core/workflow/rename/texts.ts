import { isTakenInFormula } from '../../formula/syntax'
import { must } from '../../must'
import { newName, type Renaming, renamedNames } from '../../paths/rename'
import type { RootDef, Roots } from '../../paths/roots'
import { fieldOf, type TableDef } from '../../values/tables'

/** A text in quotes, a number, a chain of names with dots or names in brackets between, or one sign. */
const TOKEN = /("(?:\\.|[^"\\])*"|'[^']*')|(\d[\w.]*)|([A-Za-z_]\w*(?:\s*\.\s*[A-Za-z_]\w*|\[\s*"\w+"\s*\])*)|(\S)/g

/** The names of a chain, and the same chain with other names, what stands between them kept. */
const namesIn = (chain: string) => chain.match(/\w+/g) ?? []
function withNames(chain: string, names: readonly string[]): string {
  let i = 0
  return chain.replaceAll(/\w+/g, () => must(names[i++]))
}

/** Filters that take the name of an entry's field (LiquidJS, "Filters"). */
const BY_FIELD = new Set(['map', 'where', 'reject', 'find', 'find_index', 'has', 'group_by', 'sort', 'sort_natural', 'sum', 'uniq'])

/** A placeholder or tag; where one begins before another has ended, the first is none, so that no text takes long. */
const PART = /\{\{(?:(?!\{[{%])[\s\S])*?\}\}|\{%(?:(?!\{[{%])[\s\S])*?%\}/g

/** Whether a word at a place is what a tag begins with. */
const isTagName = (part: string, at: number) => /^\{%-?\s*$/.test(part.slice(0, at))

/** Whether the next sign from a place on is a certain one. */
const isFollowedBy = (source: string, from: number, sign: string) =>
  source
    .slice(from, from + 50)
    .trimStart()
    .startsWith(sign)

/** A text with placeholders (Liquid) with a field renamed wherever one speaks of it; what it goes through is followed. */
export function renamedText(source: string, roots: Roots, renaming: Renaming): string {
  const known = new Map(roots)
  return source.replaceAll(PART, (part) => {
    let last: RootDef | null = null
    let filter = ''
    let before = ''
    const renamed = part.replaceAll(TOKEN, (token, quoted: string | undefined, _number, chain: string | undefined, _sign, at: number) => {
      const after = before
      before = token
      if (quoted && last && BY_FIELD.has(filter)) return `${quoted.charAt(0)}${newName(tableOf(last), quoted.slice(1, -1), renaming)}${quoted.charAt(0)}`
      if (!chain) return token
      if (BY_FIELD.has(chain)) filter = chain
      if (after === '|' || isTagName(part, at) || isFollowedBy(part, at + token.length, ':')) return token
      const { names, end } = renamedNames(namesIn(chain), null, known, renaming)
      if (end) last = end
      return withNames(chain, names)
    })
    const [, kind, name, path] = /^\{%-?\s*(for|assign)\s+(\w+)\s*(?:in|=)\s*([\w.]+)/.exec(part) ?? []
    if (!kind || !name || !path) return renamed
    const { end } = renamedNames(path.split('.'), null, known, renaming)
    if (!end || end.kind === 'value') known.delete(name)
    else known.set(name, kind === 'for' ? { kind: 'record', table: end.table } : end)
    return renamed
  })
}

const tableOf = (root: RootDef): TableDef | null => (root.kind === 'value' ? null : root.table)

/** A formula (FEEL) with a field renamed wherever one speaks of it: in filters the entry's fields come first, and what is gone through is followed. */
export function renamedFormula(source: string, table: TableDef | null, roots: Roots, renaming: Renaming): string {
  const known = new Map(roots)
  const scopes: (TableDef | null)[] = [table]
  const brackets: boolean[] = []
  let last: RootDef | null = null
  /** What a filter that has just ended was on: a dot after it leads on from its entries. */
  let filtered: TableDef | null = null
  let before = ''
  let looping: string | null = null
  return source.replaceAll(TOKEN, (token, _quoted, _number, chain: string | undefined, _sign, at: number) => {
    if (!chain) {
      if (token === '[') {
        const entries = last && tableOf(last)
        brackets.push(Boolean(entries))
        if (entries) scopes.unshift(entries)
      }
      if (token === ']') filtered = brackets.pop() ? (scopes.shift() ?? null) : null
      else if (token !== '.' || before !== ']') filtered = null
      last = token === ']' && filtered ? { kind: 'list', table: filtered } : null
      looping = null
      before = token
      return token
    }
    if (chain === 'in') {
      looping = before
      return chain
    }
    if (!chain.includes('.') && (isFollowedBy(source, at + token.length, '(') || isFollowedBy(source, at + token.length, ':'))) {
      last = null
      filtered = null
      looping = null
      before = chain
      return chain
    }
    const names = namesIn(chain)
    const own = scopes.find((scope) => scope && fieldOf(scope, names[0] ?? '')) ?? null
    const entry = names[0] === 'item' && scopes.length > 1 ? scopes[0] : null
    const { names: renamed, end } = filtered
      ? renamedNames(names, filtered, known, renaming)
      : renamedNames(names, own, entry ? new Map([['item', { kind: 'record', table: entry }]]) : known, renaming)
    filtered = null
    last = end
    if (looping && end && end.kind !== 'value') known.set(looping, { kind: 'record', table: end.table })
    looping = null
    before = chain
    const isBare = own !== null && renamed[0] !== names[0] && isTakenInFormula(renamed[0] ?? '')
    return `${isBare ? (own === table ? 'record.' : 'item.') : ''}${withNames(chain, renamed)}`
  })
}
