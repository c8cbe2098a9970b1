'use client'

import { OPERATORS, operatorsFor } from '@/core/conditions/operators'
import type { Clause, Op, Operand } from '@/core/document/condition'
import { membersOf } from '@/core/must'
import { checkPath } from '@/core/paths/path'
import type { FieldDef, FieldType, TableDef } from '@/core/values/tables'
import { Choice } from '../parts/choice'
import { Labelled } from '../parts/labelled'
import { useTables } from '../records/tables-context'
import type { PersonChoice } from '../records/values'
import { fixedOptions, pathOptions, readTyped } from './clause-values'
import { Side } from './side'

const HOLDS: Partial<Record<Op, string>> = {
  'less than': 'is less than',
  'at most': 'is at most',
  'more than': 'is more than',
  'at least': 'is at least',
  between: 'is between',
  'within last': 'is within the last',
  'within next': 'is within the next',
  'changed from to': 'changed from … to …',
}

interface Props {
  readonly table: TableDef
  readonly people: readonly PersonChoice[]
  readonly clause: Clause
  readonly onChange: (clause: Clause) => void
  /** `records`: only what records can be filtered by, no change operators. */
  readonly only?: 'records'
  /** The table of the record, whose fields a right side can name too as `record.…`, where the clause is about an entry of a list. */
  readonly outer?: TableDef
}

/** The controls of a clause in one glance: field, when it holds, value. */
export function ClauseFields({ table, people, clause, onChange, only, outer }: Props) {
  const schema = useTables()
  const checked = checkPath(schema, table, clause.field)
  const field: FieldDef = 'problem' in checked ? { name: '', label: '', type: 'text' } : checked.field
  const ops = operatorsFor(field.type).filter((op) => only !== 'records' || !OPERATORS[op].change)
  const setField = (name: string) => {
    const next = checkPath(schema, table, name)
    const type: FieldType = 'problem' in next ? 'text' : next.field.type
    const isSame = type === field.type && !['choice', 'link'].includes(type)
    const op = operatorsFor(type).includes(clause.op) ? clause.op : 'is'
    onChange(isSame ? { ...clause, field: name } : { field: name, op })
  }
  const setOp = (op: Op) => {
    const sameOperand = OPERATORS[op].operand === OPERATORS[clause.op].operand
    onChange(sameOperand ? { ...clause, op } : { field: clause.field, op, ...(clause.muted ? { muted: true } : {}) })
  }
  const { operand } = OPERATORS[clause.op]
  const side = (label: string, part: 'value' | 'to') => (
    <Side
      label={label}
      table={table}
      field={field}
      people={people}
      value={clause[part]}
      onChange={(value) => onChange({ ...clause, [part]: value })}
      ofRecords={only === 'records'}
      outer={outer}
    />
  )
  return (
    <div className="grid grid-cols-[minmax(0,1.2fr)_minmax(0,1fr)_minmax(0,1.3fr)] gap-4">
      <Labelled label="Field">
        <Choice label="Field" value={clause.field} options={pathOptions(table, schema)} onChange={setField} />
      </Labelled>
      <Labelled label="Holds when it">
        <Choice label="Holds when it" value={clause.op} options={ops.map((op) => ({ value: op, label: HOLDS[op] ?? op }))} onChange={setOp} />
      </Labelled>
      {operand === 'one' && side('Value', 'value')}
      {operand === 'two' && (
        <div className="grid grid-cols-2 gap-3">
          {side(clause.op === 'between' ? 'From' : 'Before', 'value')}
          {side(clause.op === 'between' ? 'To' : 'After', 'to')}
        </div>
      )}
      {operand === 'many' && <Many field={field} people={people} value={clause.value} onChange={(value) => onChange({ ...clause, value })} />}
      {operand === 'span' && <SpanFields value={clause.value} onChange={(value) => onChange({ ...clause, value })} />}
    </div>
  )
}

function Many({ field, people, value, onChange }: { field: FieldDef; people: readonly PersonChoice[]; value: Operand | undefined; onChange: (value: Operand) => void }) {
  const options = fixedOptions(field, people)
  const chosen = Array.isArray(value) ? value.map(String) : []
  if (!options)
    return (
      <Labelled label="Values" note="with commas between">
        <input
          aria-label="Values"
          className="blank-line"
          value={chosen.join(', ')}
          onChange={(e) => onChange(e.target.value.split(',').map((v) => asListed(readTyped(v.trimStart(), field))))}
        />
      </Labelled>
    )
  return (
    <fieldset>
      <legend className="text-muted text-xs">Values</legend>
      <div className="flex flex-wrap gap-x-4">
        {options.map((o) => (
          <label key={o.value} className="flex items-center gap-1.5">
            <input
              type="checkbox"
              className="accent-spruce"
              checked={chosen.includes(o.value)}
              onChange={(e) => onChange(e.target.checked ? [...chosen, o.value] : chosen.filter((c) => c !== o.value))}
            />
            {o.label}
          </label>
        ))}
      </div>
    </fieldset>
  )
}

const UNITS = ['minutes', 'hours', 'days'] as const

/** A length of time in a unit. */
function spanOf(unit: (typeof UNITS)[number], count: number): Operand {
  return unit === 'minutes' ? { minutes: count } : unit === 'hours' ? { hours: count } : { days: count }
}

/** A value as a list of values holds it. */
const asListed = (value: ReturnType<typeof readTyped>) => (typeof value === 'number' ? value : String(value))

function SpanFields({ value, onChange }: { value: Operand | undefined; onChange: (value: Operand) => void }) {
  const held = membersOf(value)
  const unit = UNITS.find((u) => u in held) ?? 'days'
  const count = Number(held[unit] ?? 7)
  return (
    <div className="grid grid-cols-2 gap-3">
      <Labelled label="Number">
        <input
          aria-label="Number"
          className="blank-line"
          inputMode="numeric"
          value={value === undefined ? '' : count}
          onChange={(e) => onChange(spanOf(unit, Number(e.target.value.replace(/\D/g, '')) || 1))}
        />
      </Labelled>
      <Labelled label="Of">
        <Choice label="Of" value={unit} options={UNITS.map((u) => ({ value: u, label: u }))} onChange={(u) => onChange(spanOf(u, count))} />
      </Labelled>
    </div>
  )
}
