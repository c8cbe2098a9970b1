import { compileCondition, type Setting } from '../conditions/compile'
import { OPERATORS } from '../conditions/operators'
import type { Clause, Op } from '../document/condition'
import { LoadedLookups } from '../paths/lookups'
import type { FieldDef, Stored } from '../values/tables'

/** Operators that compare with before, and what they come to for a record that stands as it is. */
const STANDING: Readonly<Partial<Record<Op, Op>>> = { 'crossed above': 'more than', 'crossed below': 'less than', 'changed to': 'is' }

/**
 * Whether records that hold a value fit a clause on it, as they stand, with the clause's own test; null where that cannot be told from the value alone, or the clause is not
 * finished. `field` is the one at the end of the clause's path.
 */
export function fitsValue({ op, value, to }: Clause, field: FieldDef, setting: Setting, at: Date): ((value: Stored) => boolean) | null {
  const isElsewhere = [value, to].some((side) => typeof side === 'object' && side !== null && !Array.isArray(side) && ('field' in side || 'changedBy' in side || 'formula' in side))
  const standing = STANDING[op] ?? op
  const needsValue = !['is filled', 'is blank'].includes(standing)
  if (isElsewhere || OPERATORS[standing].change || (needsValue && (value === undefined || value === ''))) return null
  try {
    const own = { ...field, name: 'value' }
    const table = { name: 'values', singular: 'value', label: 'Values', titleField: 'value', fields: [own] }
    const { test } = compileCondition({ field: own.name, op: standing, value, to }, table, { ...setting, roots: undefined }, '')
    const facts = {
      kind: 'created' as const,
      before: null,
      at,
      by: { kind: 'system' as const, person: null, name: '' },
      lookups: new LoadedLookups(new Map()),
      organisation: setting.organisation,
    }
    return (held) => test({ ...facts, after: { value: held } })
  } catch {
    return null // a half-typed clause, which the review speaks of
  }
}
