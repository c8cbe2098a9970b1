'use client'

import { useState } from 'react'
import { OPERATORS } from '@/core/conditions/operators'
import { clauseSentence } from '@/core/conditions/sentence'
import { type Clause, type Condition, isClause } from '@/core/document/condition'
import type { Organisation, TableDef } from '@/core/values/tables'
import { ClauseFields } from '../brief/clause-fields'
import { Button } from '../parts/button'
import { useTables } from '../records/tables-context'
import type { PersonChoice } from '../records/values'

const NO_ORGANISATION: Organisation = { name: '', locale: 'en-GB', zone: 'UTC', currency: 'GBP' }

/** The clauses that narrow the grid, each as a sentence that opens to be edited. */
export function Filter({
  table,
  people,
  where,
  onChange,
}: {
  table: TableDef
  people: readonly PersonChoice[]
  where: Condition | null
  onChange: (where: Condition | null) => void
}) {
  const clauses: Clause[] = where && 'all' in where ? where.all.filter(isClause) : where && isClause(where) ? [where] : []
  const [open, setOpen] = useState<number | null>(null)
  const schema = useTables()
  const names = new Map(people.map((p) => [p.email.toLowerCase(), p.name]))
  const put = (next: Clause[]) => onChange(next.length ? { all: next } : null)
  const edited = open === null ? null : (clauses[open] ?? { field: table.fields[0]?.name ?? 'id', op: 'is' as const })
  return (
    <section aria-label="Filter" className="mb-2">
      <div className="flex flex-wrap items-baseline gap-x-5 gap-y-1">
        {clauses.map((clause, i) => (
          <span key={`${i} ${clause.field}`} className="inline-flex items-baseline gap-2">
            <button type="button" onClick={() => setOpen(open === i ? null : i)} className="font-serif text-lg underline decoration-rule underline-offset-4 hover:decoration-ink">
              {clauseSentence(clause, table, { schema, organisation: NO_ORGANISATION, names })}
            </button>
            <Button aria-label={`Take “${clause.field} ${clause.op}” away`} onClick={() => put(clauses.filter((_, n) => n !== i))}>
              ×
            </Button>
          </span>
        ))}
        <Button onClick={() => setOpen(open === clauses.length ? null : clauses.length)}>{clauses.length ? 'and …' : 'Filter …'}</Button>
      </div>
      {edited && open !== null && (
        <FilterClause
          key={open}
          table={table}
          people={people}
          clause={edited}
          onDone={(clause) => {
            setOpen(null)
            if (clause) put(clauses.some((_, n) => n === open) ? clauses.map((c, n) => (n === open ? clause : c)) : [...clauses, clause])
          }}
        />
      )}
    </section>
  )
}

function FilterClause({ table, people, clause, onDone }: { table: TableDef; people: readonly PersonChoice[]; clause: Clause; onDone: (clause: Clause | null) => void }) {
  const [draft, setDraft] = useState(clause)
  const needsValue = OPERATORS[draft.op].operand !== 'none'
  return (
    <form
      aria-label="Clause of the filter"
      className="my-2 flex max-w-3xl items-end gap-6 border-rope-mark border-l-3 bg-rope-wash px-4 py-3"
      onSubmit={(event) => {
        event.preventDefault()
        onDone(needsValue && draft.value === undefined ? { ...draft, value: '' } : draft)
      }}
    >
      <div className="flex-1">
        <ClauseFields table={table} people={people} clause={draft} onChange={setDraft} only="records" />
      </div>
      <Button kind="main" type="submit">
        Show
      </Button>
      <Button onClick={() => onDone(null)}>Leave it</Button>
    </form>
  )
}
