import type { ChangeKind } from '../../changes/change'
import { OPERATORS } from '../../conditions/operators'
import { typedCron } from '../../cues/cron-typed'
import { type Clause, type Condition, isClause, joined } from '../../document/condition'
import type { ByHandCue, Cue, RecordCue, TimetableCue } from '../../document/document'
import { typedDuration } from '../../values/duration'
import type { TableDef } from '../../values/tables'
import { bareValue, handedOver, readClause, readCondition } from './clauses'
import { fieldsOf, valuesOf } from './installation'
import { Lexicon } from './lexicon'
import { readPerson } from './operands'
import type { Scope } from './paths'
import type { Reader } from './reader'
import {
  AND,
  ANYONES,
  BECAUSE_IT_IS,
  BECOMES,
  DETERMINERS,
  EACH,
  FOR,
  FOR_EACH,
  GROUP,
  HANDED_OVER,
  HAPPENINGS,
  IN,
  IT,
  NEW,
  NOT,
  OF,
  OR,
  STAYS,
  STAYS_FOR,
  TEAM,
  WHEN,
  WHERE,
} from './vocabulary'

/** What a workflow waits for, as it was read: its table, its cue, and the conditions that words of the cue say. */
export interface ReadCue {
  readonly table: TableDef
  readonly cue: Cue
  readonly conditions: Condition | null
}

type ScopeOf = (table: TableDef) => Scope

/** What a workflow waits for: “when a claim becomes Settled”, “every working day at 07:00, for each claim that fits”, “by hand, on a claim”. Null where it is not said. */
export function readCue(r: Reader, scopeOf: ScopeOf, words: Scope['words'], given: TableDef | null): ReadCue | null {
  return r.attempt(() => byHand(r, scopeOf, words, given) ?? byClock(r, scopeOf, words, given) ?? byFigure(r, words) ?? byRecord(r, scopeOf, words, given))
}

const BY_HAND = new Lexicon([{ words: 'by hand', meant: true, also: ['when somebody wants it', 'when asked', 'when somebody presses it'] }])
const SELECTION = new Lexicon([{ words: 'on a selection of', meant: true, also: ['for a selection of', 'on several'] }], true)
const WITHOUT = new Lexicon([{ words: 'without a record', meant: true }], true)
const ROLES = new Lexicon((['administrator', 'editor', 'member'] as const).map((role) => ({ words: `${role}s`, meant: role, also: [role] })))
const ASKING = new Lexicon([{ words: 'asking', meant: true }], true)
const BY = new Lexicon([{ words: 'by', meant: true }], true)

function byHand(r: Reader, scopeOf: ScopeOf, words: Scope['words'], given: TableDef | null): ReadCue | null {
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
      const group = overGroup(r, words, given)
      if (group) Object.assign(cue, { per: 'group', over: { figure: group } })
      else if (r.take(OF) || r.take(FOR)) {
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

const OF_FIGURE = new Lexicon([{ words: 'of', meant: true }], true)

/** “for each route of seats sold this week”: the groups of a figure of the table. */
function overGroup(r: Reader, words: Scope['words'], _table: TableDef | null): string | null {
  return r.attempt(() => {
    if (!r.take(FOR_EACH)) return null
    for (let n = 0; n < 8 && r.token; n++) {
      const figure = r.attempt(() => (r.take(OF_FIGURE) ? r.take(words.figures) : null))
      if (figure !== null) return figure
      r.at++
    }
    return null
  })
}

/** Words that moments of a timetable are made of. */
const OF_CLOCK =
  /^(every|each|on|at|and|or|the|of|in|to|from|until|between|daily|hourly|weekly|day|days|working|workday|workdays|weekday|weekdays|weekend|weekends|week|month|months|minute|minutes|min|hour|hours|noon|midnight|am|pm|a\.m|p\.m|morning|mornings|jan(uary)?|feb(ruary)?|mar(ch)?|apr(il)?|may|june?|july?|aug(ust)?|sep(t|tember)?|oct(ober)?|nov(ember)?|dec(ember)?|(mon|tues?|wed(nes)?|thu(rs)?|fri|sat(ur)?|sun)(day)?s?|\d{1,2}(st|nd|rd|th)?|\d{1,2}(am|pm))$/

function byClock(r: Reader, scopeOf: ScopeOf, words: Scope['words'], given: TableDef | null): ReadCue | null {
  return r.attempt(() => {
    r.attempt(() => (r.take(WHEN) && r.token?.kind !== 'word' ? true : null))
    const cron = readCron(r)
    if (cron === null) return null
    r.sign(',', ':')
    const per = readPer(r, words, given)
    const table = per?.table ?? given
    if (!table) return null
    const cue: TimetableCue = { kind: 'timetable', cron, per: 'record', ...per?.cue }
    const conditions = per ? null : r.attempt(() => (r.take(WHERE) ? readCondition(r, scopeOf(table)) : null))
    return { table, cue, conditions }
  })
}

function readCron(r: Reader): string | null {
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
    const table = r.take(words.tables) ?? given
    r.take(THAT_FIT)
    return { table, cue: { per: 'owner' as const } }
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
  const figure = overGroup(r, words, given)
  if (figure !== null) return { table: given ?? null, cue: { per: 'group', over: { figure } } }
  return r.attempt(() => {
    if (!r.take(ALL)) return null
    const table = r.take(words.tables)
    if (!table || !r.take(THAT_FIT)) return null
    const evenIfNone = r.past([','], () => r.take(EVEN_IF_NONE)) !== null
    return { table, cue: { per: 'all' as const, ...(evenIfNone ? { evenIfNone } : {}) } }
  })
}

function byFigure(r: Reader, words: Scope['words']): ReadCue | null {
  return r.attempt(() => {
    r.take(WHEN)
    r.take(DETERMINERS)
    const found = r.take(words.thresholds)
    return found && { table: found.table, cue: { kind: 'figure', figure: found.figure, threshold: found.threshold }, conditions: null }
  })
}

/** Everything that a sentence says of the records it waits for. */
class Said {
  on = new Set<ChangeKind>()
  fields: string[] = []
  whose: RecordCue['whose']
  stays: string | undefined
  clauses: Condition[] = []
  /** Whether a record comes to be so, rather than being so. */
  becomes = false
}

function byRecord(r: Reader, scopeOf: ScopeOf, words: Scope['words'], given: TableDef | null): ReadCue | null {
  return r.attempt(() => {
    const isWhen = r.take(WHEN) !== null
    const said = new Said()
    const table = r.attempt(() => {
      while (r.take(EACH) || r.take(DETERMINERS)) if (r.isDone) return null
      if (r.take(NEW)) said.on.add('created')
      return r.take(words.tables)
    })
    const of = table ?? given ?? (isWhen ? tableMeant(r, scopeOf, words) : null)
    if (!of || (!table && !isWhen && given === null)) return null
    const scope = scopeOf(of)
    while (readPart(r, scope, said)) if (r.isDone) break
    if (!table && said.on.size === 0 && said.clauses.length === 0) return null
    return { table: of, cue: cueOf(said), conditions: allOf(said.clauses) }
  })
}

/** The table whose fields are spoken of where none is named; where several have them, each is a way. */
function tableMeant(r: Reader, scopeOf: ScopeOf, words: Scope['words']): TableDef | null {
  const begin = r.at
  const found = words.tables.all().flatMap((table) => {
    const [clause, reached] = r.ahead(() => [readCondition(r, scopeOf(table)), r.at] as const)
    return clause && !('op' in clause && clause.value === undefined && !['none'].includes(OPERATORS[clause.op].operand)) ? [{ table, reached }] : []
  })
  const furthest = Math.max(...found.map((f) => f.reached))
  const best = found.filter((f) => f.reached === furthest)
  return best.length
    ? r.pick(
        begin,
        best.map(({ table }) => `a ${table.singular.replaceAll('_', ' ')}`),
        best,
      ).table
    : null
}

const allOf = (clauses: readonly Condition[]): Condition | null => {
  const flat = clauses.flatMap((c) => (!isClause(c) && 'all' in c ? c.all : [c]))
  const [only] = flat
  return flat.length === 1 && only ? only : flat.length ? joined('all', flat) : null
}

function cueOf({ on, fields, whose, stays, becomes, clauses }: Said): RecordCue {
  const order: ChangeKind[] = ['created', 'changed', 'deleted']
  const kinds = on.size ? order.filter((kind) => on.has(kind)) : becomes && !stays ? order.slice(1, 2) : clauses.length ? order.slice(0, 2) : order.slice(1, 2)
  return { kind: 'record', on: kinds, ...(fields.length ? { fields } : {}), ...(whose ? { whose } : {}), ...(stays ? { stays } : {}) }
}

/** One more thing that is said of the record; false where none follows. */
function readPart(r: Reader, scope: Scope, said: Said): boolean {
  return (
    r.attempt(() => {
      r.sign(',')
      r.take(AND) || r.take(OR)
      r.take(IT)
      return (
        readHappening(r, scope, said) ||
        readHandedOver(r, scope, said) ||
        readStays(r, scope, said) ||
        readBecomes(r, scope, said) ||
        readWhose(r, scope, said) ||
        readMoreConditions(r, scope, said) ||
        unknownValue(r, scope, said) ||
        null
      )
    }) ?? false
  )
}

const FOLDER_TO = new Lexicon([{ words: 'to', meant: true, also: ['in', 'under', 'into', 'to the folder', 'in the folder'] }], true)

/** “is created or changed in offer”, “is added to Minutes”. */
function readHappening(r: Reader, scope: Scope, said: Said): boolean {
  return (
    r.attempt(() => {
      r.take(BECAUSE_IT_IS)
      const kind = r.take(HAPPENINGS)
      if (kind === null) return null
      // "changed to Settled" is said of a field, or of a choice
      if (kind === 'changed' && r.sees(() => r.take(BECOMES_TO) && bareValue(r, scope.table, false))) {
        r.take(BECOMES_TO)
        said.becomes = true
        const clause = bareValue(r, scope.table, false)
        if (clause) said.clauses.push(clause)
        return true
      }
      said.on.add(kind)
      if (kind === 'created' && readFolder(r, scope, said)) return true
      const fields = r.attempt(() => (r.take(IN) ? readFields(r, scope.table) : null))
      if (fields) said.fields.push(...fields)
      return true
    }) ?? false
  )
}

const BECOMES_TO = new Lexicon([{ words: 'to', meant: true }], true)

function readFolder(r: Reader, { table }: Scope, said: Said): boolean {
  const field = table.fields.find((f) => f.type === 'folder')
  if (!field) return false
  return (
    r.attempt(() => {
      if (!r.take(FOLDER_TO)) return null
      const begin = r.token
      if (!begin || begin.kind === 'sign') return null
      r.at++
      while (r.token && (r.token.key === '/' || r.tokens[r.at - 1]?.key === '/')) r.at++
      const value = begin.kind === 'quoted' ? begin.text : r.text.slice(begin.from, r.tokens[r.at - 1]?.to)
      said.clauses.push({ field: field.name, op: 'is in', value })
      return true
    }) ?? false
  )
}

function readFields(r: Reader, table: TableDef): string[] | null {
  const fields: string[] = []
  for (;;) {
    const field = r.past([DETERMINERS], () => r.take(fieldsOf(table)))
    if (!field) return fields.length ? fields : null
    fields.push(field.name)
    if (!r.sees(() => r.further(OR) && r.past([DETERMINERS], () => r.take(fieldsOf(table))))) return fields
    r.further(OR)
  }
}

function readHandedOver(r: Reader, { table }: Scope, said: Said): boolean {
  return (
    r.attempt(() => {
      r.take(BECAUSE_IT_IS)
      if (!r.take(HANDED_OVER)) return null
      const clause = handedOver(table)
      if (!clause) return null
      said.on.add('changed')
      said.clauses.push(clause)
      return true
    }) ?? false
  )
}

/** “stays New for 5 days”, “has been in review for a day”, “and stays so for 4 hours”. */
function readStays(r: Reader, scope: Scope, said: Said): boolean {
  return (
    r.attempt(() => {
      const clause =
        r.attempt(() => bareValue(r, scope.table, false)) ??
        r.attempt<Clause>(() => {
          r.take(STAYS) || r.take(BECAUSE_IT_IS) || r.take(IN)
          r.take(NOT)
          return bareValue(r, scope.table, false) ?? null
        }) ??
        r.attempt(() => staysNamed(r, scope))
      if (!r.take(STAYS_FOR)) return null
      const stays = readLength(r)
      if (stays === null) return null
      said.stays = stays
      if (clause) said.clauses.push(clause)
      return true
    }) ?? false
  )
}

/** “status stays New”. */
function staysNamed(r: Reader, scope: Scope): Clause | null {
  r.take(DETERMINERS)
  const field = r.take(fieldsOf(scope.table))
  if (!field || !r.take(STAYS)) return readClause(r, scope)
  const found = r.matches(valuesOf(scope.table)).find((m) => m.meant.field === field)
  if (!found) return null
  r.at = found.end
  return { field: field.name, op: 'is', value: found.meant.value }
}

/** A length of time in words, in ISO 8601. */
export function readLength(r: Reader): string | null {
  const begin = r.token
  for (let n = Math.min(4, r.tokens.length - r.at); n > 0 && begin; n--) {
    const stays = typedDuration(r.text.slice(begin.from, r.tokens[r.at + n - 1]?.to))
    if (stays === null) continue
    r.at += n
    return stays
  }
  return null
}

/** “becomes Settled”, “its stage turns Won”, “is Late”, “stops sailing”. */
function readBecomes(r: Reader, scope: Scope, said: Said): boolean {
  return (
    r.attempt(() => {
      const isBecoming = r.take(BECOMES) !== null
      if (!isBecoming && !r.take(BECAUSE_IT_IS)) return null
      const clause = bareValue(r, scope.table, r.take(NOT) !== null)
      if (!clause) return null
      said.becomes ||= isBecoming
      said.clauses.push(clause)
      return true
    }) ?? false
  )
}

/** “becomes Setled”: a value that is not known is marked, and what the record can become is offered. */
function unknownValue(r: Reader, { table }: Scope, said: Said): boolean {
  if (!r.take(BECOMES) || r.isDone) return false
  r.matches(valuesOf(table))
  r.skip(`A ${table.singular.replaceAll('_', ' ')} does not become that.`)
  said.becomes = true
  return true
}

/** “, anyone’s”, “, the team Engineers’”, “, Ann Lee’s”. */
function readWhose(r: Reader, scope: Scope, said: Said): boolean {
  return (
    r.attempt(() => {
      if (r.take(ANYONES)) return true
      const team = r.attempt(() => (r.take(TEAM) ? r.take(scope.words.teams) : null))
      if (team !== null && r.tokens[r.at - 1]?.whose) {
        said.whose = { team }
        return true
      }
      const person = readPerson(r, scope)
      if (person === null || !r.tokens[r.at - 1]?.whose) return null
      said.whose = { person }
      return true
    }) ?? false
  )
}

/** Conditions in the cue’s own sentence: “where kind is Baggage”, “’s amount goes above 500”. */
function readMoreConditions(r: Reader, scope: Scope, said: Said): boolean {
  r.take(WHERE)
  const condition = readCondition(r, scope)
  if (!condition) return false
  said.becomes ||= /\b(becomes|turns|gets|became)\b/.test(r.text.slice(0, r.tokens[r.at - 1]?.to).toLowerCase()) && said.clauses.length === 0
  said.clauses.push(condition)
  return true
}

/** A line by itself that says how long something is to stay: “in review for 5 days”, “stays so for 4 hours”. Null where it says no such thing. */
export function readStaysLine(r: Reader, scope: Scope): { readonly stays: string; readonly clauses: readonly Condition[] } | null {
  const said = new Said()
  return readStays(r, scope, said) && said.stays ? { stays: said.stays, clauses: said.clauses } : null
}
