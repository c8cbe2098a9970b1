import { CHANGE_KINDS } from '../../changes/change'
import { OPERATORS } from '../../conditions/operators'
import { type Condition, together } from '../../document/condition'
import type { RecordCue } from '../../document/document'
import { nounOf } from '../../values/naming'
import type { TableDef } from '../../values/tables'
import { bareValue, describedTable } from './bare-values'
import { ofChoice } from './clauses'
import { put, readCondition, unless } from './conditions'
import { type ReadCue, Said, type ScopeOf } from './cue-scope'
import { readHandedOver, readHappening } from './happenings'
import { valuesOf } from './installation'
import { readPerson, readToday } from './operands'
import { type Scope, saysWhose } from './paths'
import type { Reader } from './reader'
import { readStays } from './stays'
import { AND, ANYONES, BECAUSE_IT_IS, BECOMES, DETERMINERS, DOES, DUE, EACH, IF, IT, LEAVES, NEW, NOT, OF, OR, SOMEBODY, TEAM, UNLESS, WHEN, WHERE } from './vocabulary'

export function byRecord(r: Reader, scopeOf: ScopeOf, words: Scope['words'], given: TableDef | null): ReadCue | null {
  return r.attempt(() => {
    const isWhen = (r.take(WHEN) ?? r.take(IF)) !== null
    const said = new Said()
    const begin = r.at
    const table = r.attempt(() => {
      while (r.take(EACH) || r.take(DETERMINERS)) if (r.isDone) return null
      if (r.take(NEW)) said.on.add('created')
      const kind = r.take(SOMEBODY) && r.take(DOES)
      if (kind) {
        said.on.add(kind)
        while (r.take(EACH) || r.take(DETERMINERS)) if (r.isDone) return null
      }
      const described = describedTable(r, words.tables)
      if (described?.clause) said.add(described.clause)
      return described?.table ?? null
    })
    const of = table ?? given ?? (isWhen ? tableMeant(r, scopeOf, words) : null)
    if (!of || (!table && !isWhen && given === null)) return null
    const scope = scopeOf(of)
    while (readPart(r, scope, said)) if (r.isDone) break
    if (!table && said.on.size === 0 && said.parts.length === 0) return null
    return { table: of, cue: cueOf(said), conditions: conditionsOf(r, begin, said) }
  })
}

/** The table whose fields are spoken of where none is named; where several have them, each is a way. */
function tableMeant(r: Reader, scopeOf: ScopeOf, words: Scope['words']): TableDef | null {
  const begin = r.at
  const found = words.tables.all().flatMap((table) => {
    const [clause, reached] = r.ahead(() => {
      const read = readCondition(r, scopeOf(table))
      saysWhose(r, table, OF)
      return [read, r.at] as const
    })
    return clause && !('op' in clause && clause.value === undefined && OPERATORS[clause.op].operand !== 'none') ? [{ table, reached }] : []
  })
  const furthest = Math.max(...found.map((f) => f.reached))
  const best = found.filter((f) => f.reached === furthest)
  return best.length
    ? r.pick(
        begin,
        best.map(({ table }) => `a ${nounOf(table)}`),
        best,
      ).table
    : null
}

function cueOf({ on, fields, whose, stays, becomes, parts }: Said): RecordCue {
  const order = CHANGE_KINDS
  const kinds = on.size ? order.filter((kind) => on.has(kind)) : becomes && !stays ? order.slice(1, 2) : parts.length ? order.slice(0, 2) : order.slice(1, 2)
  return { kind: 'record', on: kinds, ...(fields.length ? { fields } : {}), ...(whose ? { whose } : {}), ...(stays ? { stays } : {}) }
}

/** All that was said of the record, as one condition; where “and” and “or” stand side by side, there are two ways. */
function conditionsOf(r: Reader, begin: number, { parts: [first, ...rest] }: Said): Condition | null {
  return first ? together(null, [put(r, begin, first.part, rest)]) : null
}

/** One more thing that is said of the record; false where none follows. */
function readPart(r: Reader, scope: Scope, said: Said): boolean {
  return (
    r.attempt(() => {
      r.sign(',')
      const joiner = r.at
      const isOr = !r.take(AND) && r.take(OR) !== null
      said.joint = isOr ? 'any' : 'all'
      r.take(IT)
      const [kinds, parts] = [said.on.size, said.parts.length]
      const isRead =
        saysWhose(r, scope.table, OF) || // “amount changes on a claim”
        readHappening(r, scope, said) ||
        readHandedOver(r, scope, said) ||
        readStays(r, scope, said) ||
        readBecomes(r, scope, said) ||
        readWhose(r, scope, said) ||
        readMoreConditions(r, scope, said) ||
        cameByTheClock(r, scope) ||
        unknownValue(r, scope, said)
      if (!isRead) return null
      if (isOr) eitherOf(r, joiner, said, kinds, parts)
      return true
    }) ?? false
  )
}

/** “is created or its owner changes”: what happens or holds; one workflow can say that of a change alone, as of what is handed over. */
function eitherOf(r: Reader, joiner: number, said: Said, kinds: number, parts: number): void {
  const isMixed = (kinds > 0 && parts === 0 && said.parts.length > parts) || (parts > 0 && said.on.size > kinds)
  if (!isMixed) return
  if (said.parts.every(({ part }) => 'op' in part && part.op === 'changed')) said.on.add('changed')
  else r.mark(joiner, 'What happens to a record and what holds of it cannot be joined by “or” in one workflow: make two.')
}

/** “becomes Settled”, “its stage turns Won”, “is Late”, “stops sailing”, “is no longer In review”. */
function readBecomes(r: Reader, scope: Scope, said: Said): boolean {
  return (
    r.attempt(() => {
      const isLeaving = r.take(LEAVES) !== null
      const isBecoming = isLeaving || r.take(BECOMES) !== null
      if (!isBecoming && !r.take(BECAUSE_IT_IS)) return null
      const clause = bareValue(r, scope.table, isLeaving || r.take(NOT) !== null)
      if (!clause) return null
      said.becomes ||= isBecoming
      said.add(clause)
      return true
    }) ?? false
  )
}

/** “is overdue”, “is due in 2 days”: what comes by the clock is no change; it is said how to wait for it. */
function cameByTheClock(r: Reader, { table }: Scope): boolean {
  const day = table.fields.find((f) => !f.housekeeping && (f.type === 'date' || f.type === 'date-time'))
  const end = r.ahead(() => {
    r.take(BECAUSE_IT_IS)
    if (!r.take(DUE)) return 0
    readToday(r)
    return r.at
  })
  if (!day || end === 0) return false
  const how = `every working day at 07:00 for each ${nounOf(table)} where ${day.label.toLowerCase()} is before today`
  while (r.at < end && !r.isDone) r.skip(`A day comes without a change. Say “${how}”, or “is tomorrow”.`)
  return true
}

/** “becomes Setled”: a value that is not known is marked, and what the record can become is offered. */
function unknownValue(r: Reader, { table }: Scope, said: Said): boolean {
  if (!r.take(BECOMES) || r.isDone) return false
  r.matches(valuesOf(table))
  r.skip(`A ${nounOf(table)} does not become that.`)
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
  const begin = r.at
  const isUnless = r.take(UNLESS) !== null
  r.take(WHERE)
  const isInBrackets = r.tokens[begin]?.key === '('
  const condition = ofChoice(r, scope) ?? readCondition(r, scope)
  if (!condition) return false
  said.becomes ||= /\b(becomes|turns|gets|became)\b/.test(r.text.slice(0, r.tokens[r.at - 1]?.to).toLowerCase()) && said.parts.length === 0
  if (isUnless) said.add(unless(condition))
  else if (said.joint === 'any' && !isInBrackets && 'all' in condition) condition.all.forEach((part, i) => said.parts.push({ joint: i === 0 ? 'any' : 'all', part }))
  else said.add(condition)
  return true
}
