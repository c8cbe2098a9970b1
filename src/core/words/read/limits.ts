import { typedLimit } from '../../limits/typed'
import { nounOf } from '../../values/naming'
import type { Deeds } from './deeds'
import type { Scope } from './paths'
import type { Reader } from './reader'
import { LIMIT_WORDS } from './vocabulary'

/** A limit in words, up to the comma or the end: “no more than one per claim in an hour”. */
export function readLimit(r: Reader, scope: Scope, deeds: Deeds): boolean {
  return (
    r.attempt(() => {
      if (!r.sees(() => r.take(LIMIT_WORDS)) && r.token?.key !== 'at') return null
      const begin = r.token
      if (!begin) return null
      for (let end = r.tokens.length; end > r.at; end--) {
        const after = r.tokens[end]
        if (after && !(after.kind === 'sign' && [',', ';', '.'].includes(after.key)) && after.key !== 'and') continue
        const said = r.text.slice(begin.from, r.tokens[end - 1]?.to).replace(/^limit:? /i, '')
        const limit = said.length < 200 ? typedLimit(said, nounOf(scope.table)) : null
        if (!limit) continue
        deeds.limits = { ...deeds.limits, ...limit }
        r.at = end
        return true
      }
      return null
    }) ?? false
  )
}
