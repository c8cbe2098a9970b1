import jsonLogic, { type RulesLogic } from 'json-logic-js'
import { type CompiledCondition, compileCondition, type Facts } from '@/core/conditions/compile'
import { LoadedLookups } from '@/core/paths/lookups'
import type { Image } from '@/core/values/tables'
import { CLAIMS } from '../support/claims'
import { ORGANISATION, SCHEMA } from '../support/core'
import { median, report } from './measure'

const RECORDS = 2_000
const ROUNDS = 9

const CONDITION = {
  all: [
    { field: 'status', op: 'is' as const, value: 'Settled' },
    { field: 'amount', op: 'at least' as const, value: 40 },
    { field: 'owner', op: 'is filled' as const },
    { field: 'note', op: 'contains' as const, value: 'ferry' },
  ],
}

const LOGIC: RulesLogic = {
  and: [{ '===': [{ var: 'status' }, 'Settled'] }, { '>=': [{ var: 'amount' }, 40] }, { '!==': [{ var: 'owner' }, null] }, { in: ['ferry', { var: 'note' }] }],
}

/** What a programmer would write for the same condition, blanks and letter case included. */
function byHand({ status, amount, owner, note }: Image): boolean {
  return (
    typeof status === 'string' &&
    status.trim() === 'Settled' &&
    amount !== null &&
    Number(amount) >= 40 &&
    owner !== null &&
    typeof note === 'string' &&
    note.trim().toLowerCase().includes('ferry')
  )
}

const records: Image[] = Array.from({ length: RECORDS }, (_, i) => ({
  id: i,
  status: i % 4 ? 'Settled' : 'New',
  amount: i % 90,
  owner: i % 5 ? 1 : null,
  note: i % 3 ? 'missed the Ferry home' : 'lost a bag',
}))

const facts: Facts[] = records.map((image) => ({
  kind: 'changed',
  before: image,
  after: image,
  at: new Date(),
  by: { kind: 'system', person: null, name: '' },
  lookups: new LoadedLookups(new Map()),
  organisation: ORGANISATION,
}))

let held = 0

/** Nanoseconds a test takes, the middle of several rounds. */
function nanoseconds<T>(items: readonly T[], test: (item: T) => boolean): number {
  const rounds = Array.from({ length: ROUNDS }, () => {
    const start = process.hrtime.bigint()
    for (let n = 0; n < 20; n++) for (const item of items) if (test(item)) held++
    return Number(process.hrtime.bigint() - start) / (20 * items.length)
  })
  return median(rounds.slice(2))
}

/** The compiled test of a four-clause condition against one written by hand and against a general rule engine. */
export async function benchPredicates(): Promise<void> {
  const compiled: CompiledCondition = compileCondition(CONDITION, CLAIMS, { schema: SCHEMA, organisation: ORGANISATION, people: new Map() }, '')
  const hand = nanoseconds(records, byHand)
  const ours = nanoseconds(facts, (f) => compiled.test(f))
  const logic = nanoseconds(records, (r) => Boolean(jsonLogic.apply(LOGIC, r)))
  const counts = [records.filter(byHand).length, facts.filter((f) => compiled.test(f)).length]
  if (counts[0] !== counts[1] || held === 0) throw new Error(`The tests disagree: ${counts.join(' and ')}.`)
  report('four clauses, times a predicate written by hand', `${(ours / hand).toFixed(1)} (${Math.round(ours)} of ${Math.round(hand)} ns)`, 'at most 10', ours / hand <= 10)
  report('four clauses, times as fast as json-logic-js', `${(logic / ours).toFixed(1)} (${Math.round(logic)} ns)`, 'at least 3', logic / ours >= 3)
}
