import { type Condition, isClause, joined, type Op } from '../../document/condition'
import { readClause } from './clauses'
import type { Joined } from './cue-scope'
import type { Scope } from './paths'
import type { Reader } from './reader'
import { AND, NEITHER, NOR, OR, WHERE } from './vocabulary'

/** Deepest that conditions in brackets are read. */
const DEEPEST = 8

/** Conditions in words: clauses with “and”, “or”, brackets, “neither … nor”. Null where no clause stands here. */
export function readCondition(r: Reader, scope: Scope, depth = 0): Condition | null {
  if (depth > DEEPEST) return null
  const neither = readNeither(r, scope, depth)
  if (neither) return neither
  const begin = r.at
  const first = readPrimary(r, scope, depth)
  const joints: Joined[] = []
  if (!first) return null
  for (;;) {
    const next = r.attempt(() => {
      const joint = readJoint(r)
      if (joint === null) return null
      r.take(WHERE)
      const part = readPrimary(r, scope, depth)
      return part && { joint, part }
    })
    if (!next) break
    joints.push(next)
  }
  return put(r, begin, first, joints)
}

/** “and”, “or”, or a comma with or without them. */
function readJoint(r: Reader): 'all' | 'any' | null {
  const comma = r.sign(',', ';')
  if (r.take(OR)) return 'any'
  return r.take(AND) || comma ? 'all' : null
}

/** Puts clauses together; where “and” and “or” stand side by side without brackets, there are two ways. */
export function put(r: Reader, begin: number, first: Condition, rest: readonly Joined[]): Condition {
  if (rest.length === 0) return first
  const joint = rest[0]?.joint ?? 'all'
  if (rest.every((next) => next.joint === joint)) return joined(joint, [first, ...rest.map((next) => next.part)])
  const closer = (inner: 'all' | 'any', outer: 'all' | 'any') => {
    const groups: Condition[][] = [[first]]
    for (const { joint: by, part } of rest) {
      if (by === inner) groups[groups.length - 1]?.push(part)
      else groups.push([part])
    }
    return joined(
      outer,
      groups.map((group) => (group.length === 1 && group[0] ? group[0] : joined(inner, group))),
    )
  }
  const ways = [closer('all', 'any'), closer('any', 'all')]
  return r.pick(begin, ['“and” binds closer than “or”', '“or” binds closer than “and”'], ways)
}

/** Operators that say exactly what others do not. */
const NEGATED: Partial<Record<Op, Op>> = {
  is: 'is not',
  'is not': 'is',
  'is one of': 'is none of',
  'is none of': 'is one of',
  'is blank': 'is filled',
  'is filled': 'is blank',
  contains: 'does not contain',
  'does not contain': 'contains',
}

/** A condition that does not hold: the clause that says so where there is one. */
export function unless(condition: Condition): Condition {
  const op = isClause(condition) ? NEGATED[condition.op] : undefined
  return isClause(condition) && op ? { ...condition, op } : joined('none', [condition])
}

function readNeither(r: Reader, scope: Scope, depth: number): Condition | null {
  return r.attempt(() => {
    if (!r.take(NEITHER)) return null
    const parts: Condition[] = []
    do {
      const part = readPrimary(r, scope, depth)
      if (!part) return null
      parts.push(part)
    } while (r.take(NOR))
    return joined('none', parts)
  })
}

function readPrimary(r: Reader, scope: Scope, depth: number): Condition | null {
  const inBrackets = r.attempt(() => {
    if (!r.sign('(')) return null
    const inner = readCondition(r, scope, depth + 1)
    return inner && r.sign(')') ? inner : null
  })
  return inBrackets ?? readClause(r, scope)
}
