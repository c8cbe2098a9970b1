import { typedCron } from '../../cues/cron-typed'
import { together } from '../../document/condition'
import type { TimetableCue } from '../../document/document'
import { MONTH_WORDS, WEEKDAY_WORDS } from '../../values/calendar-words'
import type { TableDef } from '../../values/tables'
import { bareValue, describedTable } from './bare-values'
import { readCondition } from './conditions'
import type { ReadCue, ScopeOf } from './cue-scope'
import { OF_FIGURE, overGroup } from './groups'
import { Lexicon } from './lexicon'
import type { Scope } from './paths'
import type { Reader } from './reader'
import { readRecipients } from './recipients'
import { DETERMINERS, EACH, EMAIL_VERBS, FOR_EACH, SEND, TO, WHEN, WHERE } from './vocabulary'

/** Words that moments of a timetable are made of. */
const CLOCK_WORDS =
  'every each on at and or the of in to from until between daily hourly weekly day days working workday workdays weekday weekdays weekend weekends week month months minute minutes min hour hours half an a quarter quarterly monthly yearly year first once per noon midnight am pm morning mornings'.split(
    ' ',
  )
const OF_CLOCK = new RegExp(String.raw`^(?:${[...CLOCK_WORDS, ...MONTH_WORDS, ...WEEKDAY_WORDS].join('|')}|[ap]\.m|\d{1,2}(?:st|nd|rd|th|am|pm)?)$`)

export function byClock(r: Reader, scopeOf: ScopeOf, words: Scope['words'], given: TableDef | null): ReadCue | null {
  return r.attempt(() => {
    r.attempt(() => (r.take(WHEN) && r.token?.kind !== 'word' ? true : null))
    const cron = readCron(r)
    if (cron === null) return null
    r.sign(',', ':')
    const told = readTold(r, scopeOf, words, cron)
    if (told) return told
    const per = readPer(r, words, given)
    const all = per ? null : readAllOf(r, scopeOf, words)
    if (all) return { table: all.table, cue: { kind: 'timetable', cron, per: 'all' }, conditions: all.conditions }
    const table = per?.table ?? given
    if (!table) return null
    const cue: TimetableCue = { kind: 'timetable', cron, per: 'record', ...per?.cue }
    const conditions = per ? null : r.attempt(() => (r.take(WHERE) ? readCondition(r, scopeOf(table)) : null))
    return { table, cue, conditions }
  })
}

/** Moments of a timetable in words, or exactly as five fields. Null where none stands here. */
export function readCron(r: Reader): string | null {
  const exact = r.token
  if (exact?.kind === 'exact') {
    r.at++
    return typedCron(exact.text)
  }
  const begin = r.at
  let end = begin
  let last: string | null = null
  let lastEnd = begin
  for (let n = 0; n < 24; n++) {
    const token = r.tokens[end]
    const isClock =
      token && (token.kind === 'number' ? /^\d{1,2}([:.]\d{2})?$/.test(token.text) : token.kind === 'word' ? OF_CLOCK.test(token.key) : token.key === ',' || token.key === '.')
    if (!isClock) break
    end++
    const said = r.text.slice(r.tokens[begin]?.from, token.to)
    const cron = token.kind === 'sign' ? null : typedCron(said)
    if (cron !== null) {
      last = cron
      lastEnd = end
    }
  }
  if (last === null) return null
  r.at = lastEnd
  return last
}

const OWNER = new Lexicon([{ words: 'owner', meant: true }], true)

const THAT_FIT = new Lexicon([{ words: 'that fits', meant: true, also: ['that fit', 'which fit', 'which fits'] }], true)

const EVEN_IF_NONE = new Lexicon([{ words: 'even if there are none', meant: true, also: ['even if there is none'] }], true)

const THEIR = new Lexicon([{ words: 'their', meant: true, also: ['his', 'her'] }], true)

const ALL = new Lexicon([{ words: 'all', meant: true, also: ['for all', 'with all', 'the', 'with the'] }], true)

/** What a timetable runs once for. */
function readPer(r: Reader, words: Scope['words'], given: TableDef | null): { table: TableDef | null; cue: Partial<TimetableCue> } | null {
  const owner = r.attempt(() => {
    if (!r.take(FOR_EACH) || !r.take(OWNER)) return null
    r.sign(',')
    r.take(THEIR)
    const table = r.take(words.tables) ?? (r.sees(() => r.take(OF_FIGURE)) ? null : given)
    r.take(THAT_FIT)
    return table && { table, cue: { per: 'owner' as const } }
  })
  if (owner) return owner
  const record = r.attempt(() => {
    if (!r.take(FOR_EACH)) return null
    const table = r.take(words.tables)
    if (!table || r.sees(() => r.take(OF_FIGURE))) return null
    r.take(THAT_FIT)
    return { table, cue: { per: 'record' as const } }
  })
  if (record) return record
  const figure = overGroup(r, words)
  if (figure !== null) return { table: figure.table, cue: { per: 'group', over: { figure: figure.figure } } }
  return r.attempt(() => {
    if (!r.take(ALL)) return null
    const table = r.take(words.tables)
    if (!table || !r.take(THAT_FIT)) return null
    const evenIfNone = r.past([','], () => r.take(EVEN_IF_NONE)) !== null
    return { table, cue: { per: 'all' as const, ...(evenIfNone ? { evenIfNone } : {}) } }
  })
}

const A_LIST_OF = new Lexicon([{ words: 'a list of', meant: true, also: ['the list of', 'an overview of'] }], true)

/** “email each owner their claims in review”, “tell the directors all late sailings”: whom, and the records that the mail is about. */
function readTold(r: Reader, scopeOf: ScopeOf, words: Scope['words'], cron: string): ReadCue | null {
  return r.attempt(() => {
    if (!r.take(EMAIL_VERBS) && !r.take(SEND)) return null
    r.take(TO)
    const isEachOwner = r.attempt(() => (r.take(EACH) && r.take(OWNER) ? true : null)) !== null
    const [anyTable] = words.tables.all()
    if (!anyTable) return null
    // no record is at hand yet, so that only people, groups, teams and addresses are
    const to = isEachOwner ? [] : readRecipients(r, { ...scopeOf(anyTable), table: { ...anyTable, fields: [] }, roots: new Map() }, { bringIn: [] })
    if (!isEachOwner && to.length === 0) return null
    r.sign(',')
    r.take(A_LIST_OF)
    while (r.take(THEIR) || r.take(ALL) || r.take(DETERMINERS)) if (r.isDone) return null
    const about = readRecords(r, scopeOf, words)
    if (!about) return null
    const { table, conditions } = about
    if (!isEachOwner) return { table, cue: { kind: 'timetable', cron, per: 'all' }, conditions, to }
    return table.ownerField ? { table, cue: { kind: 'timetable', cron, per: 'owner' }, conditions, to: [{ field: table.ownerField }] } : null
  })
}

/** “all late sailings”, “with all claims in review”. */
function readAllOf(r: Reader, scopeOf: ScopeOf, words: Scope['words']): Pick<ReadCue, 'table' | 'conditions'> | null {
  return r.attempt(() => {
    if (!r.take(ALL)) return null
    const found = readRecords(r, scopeOf, words)
    return found?.conditions ? found : null
  })
}

/** Records and what is said of them: “late sailings”, “claims in review”, “claims where amount is over 500”. */
function readRecords(r: Reader, scopeOf: ScopeOf, words: Scope['words']): Pick<ReadCue, 'table' | 'conditions'> | null {
  const found = describedTable(r, words.tables)
  if (!found) return null
  const { table, clause } = found
  r.take(THAT_FIT)
  const further = bareValue(r, table, false) ?? r.attempt(() => (r.take(WHERE) ? readCondition(r, scopeOf(table)) : null))
  return {
    table,
    conditions: together(
      null,
      [clause, further].filter((c) => c !== null),
    ),
  }
}
