import type { BringIn } from '../../document/document'
import { readCondition } from './conditions'
import { Lexicon } from './lexicon'
import { readNumber } from './operands'
import { readList, readPath, type Scope } from './paths'
import type { Reader } from './reader'
import type { Gathered } from './recipients'
import { AS, WHERE } from './vocabulary'

const AT_MOST = new Lexicon([{ words: 'at most', meant: true, also: ['no more than', 'the first'] }])
const BEHIND = new Lexicon([{ words: 'behind it', meant: true }])

/** Something to bring in: “bookings of the sailing, as guests”, “its vessel’s superintendent, as boss”, “vessels where name is Gannet, at most 1, as found”. */
export function readBring(r: Reader, scope: Scope, { bringIn }: Gathered): boolean {
  return (
    r.attempt(() => {
      const bring = readWhat(r, scope)
      if (!bring) return null
      bringIn.push(bring)
      return true
    }) ?? false
  )
}

function readWhat(r: Reader, scope: Scope): BringIn | null {
  const list = readFrom(r, scope)
  if (!list) return null
  const where = list.table ? r.attempt(() => (r.take(WHERE) && list.table ? readCondition(r, { ...scope, table: list.table }) : null)) : null
  const limit = r.attempt(() => {
    r.sign(',')
    const count = r.take(AT_MOST) ? readNumber(r, scope) : null
    return typeof count === 'number' && count > 0 ? count : null
  })
  const name = r.attempt(() => {
    r.sign(',')
    const token = r.take(AS) ? r.token : undefined
    if (token?.kind !== 'word' && token?.kind !== 'exact') return null
    r.at++
    // names are written with _ between their words
    let said = token.text
    while (r.token?.kind === 'word' && r.text.charAt(r.token.from - 1) === '_') said += `_${r.tokens[r.at++]?.text}`
    return said
  })
  return { name: name ?? list.said, ...list.bring, ...(where ? { where } : {}), ...(limit === null ? {} : { limit }) }
}

function readFrom(r: Reader, scope: Scope) {
  const behind = r.attempt(() => {
    if (!r.take(scope.words.tables)) return null
    return r.take(BEHIND) ? { bring: { list: 'figure.records' }, said: 'behind', table: scope.installation.schema.get(scope.table.name) } : null
  })
  if (behind) return behind
  const list = readList(r, scope)
  if (list && list.list !== list.from.split('.')[0]) return { bring: { list: list.from, ...(list.of === null ? {} : { of: list.of }) }, said: list.table.name, table: list.table }
  const table = r.attempt(() => r.take(scope.words.tables))
  if (table) return { bring: { list: table.name }, said: table.name, table }
  const path = readPath(r, scope)
  return path?.leadsTo ? { bring: { link: path.path }, said: path.path.split('.').at(-1) ?? path.path, table: undefined } : null
}
