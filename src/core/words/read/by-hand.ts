import type { ByHandCue } from '../../document/document'
import type { TableDef } from '../../values/tables'
import type { ReadCue, ScopeOf } from './cue-scope'
import { overGroup } from './groups'
import { Lexicon } from './lexicon'
import type { Scope } from './paths'
import type { Reader } from './reader'
import { AND, DETERMINERS, FOR, GROUP, OF, OR, TEAM } from './vocabulary'

const BY_HAND = new Lexicon([{ words: 'by hand', meant: true, also: ['when somebody wants it', 'when asked', 'when somebody presses it'] }])

const SELECTION = new Lexicon([{ words: 'on a selection of', meant: true, also: ['for a selection of', 'on several'] }], true)

const WITHOUT = new Lexicon([{ words: 'without a record', meant: true }], true)

const ROLES = new Lexicon((['administrator', 'editor', 'member'] as const).map((role) => ({ words: `${role}s`, meant: role, also: [role] })))

const ASKING = new Lexicon([{ words: 'asking', meant: true }], true)

const BY = new Lexicon([{ words: 'by', meant: true }], true)

export function byHand(r: Reader, scopeOf: ScopeOf, words: Scope['words'], given: TableDef | null): ReadCue | null {
  return r.attempt(() => {
    if (!r.take(BY_HAND)) return null
    r.sign(',')
    const cue: ByHandCue = { kind: 'by hand' }
    let table = given
    if (r.take(WITHOUT)) cue.per = 'none'
    else if (r.take(SELECTION)) {
      cue.per = 'all'
      table = r.take(words.tables) ?? given
    } else {
      const group = overGroup(r, words)
      if (group) {
        table = group.table
        Object.assign(cue, { per: 'group', over: { figure: group.figure } })
      } else if (r.take(OF) || r.take(FOR)) {
        r.take(DETERMINERS)
        table = r.take(words.tables) ?? given
      }
    }
    if (!table) return null
    const who = r.past([','], () => (r.take(BY) ? whoMay(r, scopeOf(table)) : null))
    if (r.past([','], () => r.take(ASKING))) r.at = r.tokens.length // its questions are written out under it
    return { table, cue: { ...cue, ...(who && Object.keys(who).length ? { who } : {}) }, conditions: null }
  })
}

function whoMay(r: Reader, { words }: Scope): NonNullable<ByHandCue['who']> | null {
  const who: { roles: ('administrator' | 'editor' | 'member')[]; teams: string[]; groups: string[] } = { roles: [], teams: [], groups: [] }
  for (let isFirst = true; ; isFirst = false) {
    const read = r.attempt(() => {
      if (!isFirst && !r.further(OR, AND)) return null
      const role = r.take(ROLES)
      const team = role ? null : r.attempt(() => (r.take(TEAM) ? r.take(words.teams) : null))
      const group = role || team !== null ? null : r.past([GROUP], () => r.take(words.groups))
      if (role) who.roles.push(role)
      else if (team !== null) who.teams.push(team)
      else if (group !== null) who.groups.push(group)
      else return null
      return true
    })
    if (!read && isFirst) return null
    if (!read) break
  }
  const isDefault = who.roles.length === 2 && who.roles[0] === 'administrator' && who.roles[1] === 'editor' && !who.teams.length && !who.groups.length
  return isDefault
    ? {}
    : { ...(who.roles.length ? { roles: who.roles } : {}), ...(who.teams.length ? { teams: who.teams } : {}), ...(who.groups.length ? { groups: who.groups } : {}) }
}
