'use client'

import { type Condition, isClause, joined, jointOf } from '@/core/document/condition'
import type { TableDef } from '@/core/values/tables'
import { ClauseFields } from '../../brief/clause-fields'
import { Button } from '../../parts/button'
import { Choice, type Option } from '../../parts/choice'
import { usePlace } from '../place'
import { NEW_CLAUSE } from '../state'

type Joint = 'all' | 'any' | 'none'

export const JOINT_OPTIONS: readonly Option<Joint>[] = [
  { value: 'all', label: 'all of these hold' },
  { value: 'any', label: 'any of these holds' },
  { value: 'none', label: 'none of these holds' },
]

interface Props {
  readonly table: TableDef
  readonly condition: Condition | undefined
  /** Undefined when nothing is left of it. */
  readonly onChange: (condition: Condition | undefined) => void
  readonly only?: 'records'
  /** The table of the record that a right side can speak of too, where the condition is about the entries of a list. */
  readonly outer?: TableDef
  readonly depth?: number
}

/** A condition inside a line: clauses and groups of them, one under the other. */
export function ConditionTree({ table, condition, onChange, only, outer, depth = 0 }: Props) {
  const { setting } = usePlace()
  const node = condition === undefined ? { all: [] } : isClause(condition) ? { all: [condition] } : condition
  const [joint, children] = jointOf(node)
  const give = (next: readonly Condition[], as: Joint = joint) => onChange(next.length ? joined(as, [...next]) : undefined)
  const replace = (i: number, next: Condition | undefined) => give(next === undefined ? children.filter((_, n) => n !== i) : children.map((c, n) => (n === i ? next : c)))
  return (
    <div className={depth > 0 ? 'border-rule border-l-2 pl-4' : ''}>
      {children.length > 1 && (
        <div className="mb-2 w-48">
          <Choice label="Holds when" value={joint} options={JOINT_OPTIONS} onChange={(as) => give(children, as)} />
        </div>
      )}
      <ul className="grid gap-3">
        {children.map((child, i) => (
          <li key={i} className="grid grid-cols-[minmax(0,1fr)_auto] items-end gap-3">
            {isClause(child) ? (
              <ClauseFields table={table} people={setting.people} clause={child} onChange={(clause) => replace(i, clause)} only={only} outer={outer} />
            ) : (
              <ConditionTree table={table} condition={child} onChange={(next) => replace(i, next)} only={only} outer={outer} depth={depth + 1} />
            )}
            <button type="button" aria-label="Take the condition away" className="px-1 text-muted hover:text-alarm" onClick={() => replace(i, undefined)}>
              ×
            </button>
          </li>
        ))}
      </ul>
      <div className="mt-2 flex gap-5">
        <Button onClick={() => give([...children, NEW_CLAUSE])}>{children.length ? 'and a condition' : 'only where …'}</Button>
        {children.length > 0 && depth < 2 && <Button onClick={() => give([...children, joined(joint === 'any' ? 'all' : 'any', [NEW_CLAUSE])])}>and a group</Button>}
      </div>
    </div>
  )
}
