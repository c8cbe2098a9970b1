'use client'

import type { Clause, Op, Operand } from '@/core/conditions/clause'
import { OPERATORS, operatorsFor } from '@/core/conditions/operators'
import { checkPath } from '@/core/paths/path'
import { EVERY_TABLE_FIELDS, type FieldDef, type FieldType, type Schema, type TableDef, targetOf } from '@/core/values/tables'
import { Choice, type Option } from '../parts/choice'
import { Labelled } from '../parts/labelled'
import { useTables } from '../records/tables-context'
import type { PersonChoice } from '../records/values'

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

/** The fields of a table and, one link further, those of what it points at. */
export function pathOptions(table: TableDef, schema: Schema): Option[] {
  const own = [...table.fields, ...EVERY_TABLE_FIELDS]
  const linked = table.fields.flatMap((f) => {
    const target = schema.get(targetOf(f) ?? '')
    return target ? target.fields.map((g) => ({ value: `${f.name}.${g.name}`, label: `${f.label.toLowerCase()}’s ${g.label.toLowerCase()}`, note: g.type })) : []
  })
  return [...own.map((f) => ({ value: f.name, label: f.label.toLowerCase(), note: f.type })), ...linked]
}

interface Props {
  readonly table: TableDef
  readonly people: readonly PersonChoice[]
  readonly clause: Clause
  readonly onChange: (clause: Clause) => void
  /** `records`: only what records can be filtered by, no change operators. */
  readonly only?: 'records'
}

/** The controls of a clause in one glance: field, when it holds, value. */
export function ClauseFields({ table, people, clause, onChange, only }: Props) {
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
  return (
    <div className="grid grid-cols-[minmax(0,1.2fr)_minmax(0,1fr)_minmax(0,1.3fr)] gap-4">
      <Labelled label="Field">
        <Choice label="Field" value={clause.field} options={pathOptions(table, schema)} onChange={setField} />
      </Labelled>
      <Labelled label="Holds when it">
        <Choice label="Holds when it" value={clause.op} options={ops.map((op) => ({ value: op, label: HOLDS[op] ?? op }))} onChange={(op) => setOp(op as Op)} />
      </Labelled>
      {operand === 'one' && <Side label="Value" table={table} field={field} people={people} value={clause.value} onChange={(value) => onChange({ ...clause, value })} />}
      {operand === 'two' && (
        <div className="grid grid-cols-2 gap-3">
          <Side
            label={clause.op === 'between' ? 'From' : 'Before'}
            table={table}
            field={field}
            people={people}
            value={clause.value}
            onChange={(value) => onChange({ ...clause, value })}
          />
          <Side label={clause.op === 'between' ? 'To' : 'After'} table={table} field={field} people={people} value={clause.to} onChange={(to) => onChange({ ...clause, to })} />
        </div>
      )}
      {operand === 'many' && <Many field={field} people={people} value={clause.value} onChange={(value) => onChange({ ...clause, value })} />}
      {operand === 'span' && <SpanFields value={clause.value} onChange={(value) => onChange({ ...clause, value })} />}
    </div>
  )
}

const BLANK = '\u0000blank'
const FIELD_PREFIX = '\u0000field '

interface SideProps {
  readonly label: string
  readonly table: TableDef
  readonly field: FieldDef
  readonly people: readonly PersonChoice[]
  readonly value: Operand | undefined
  readonly onChange: (value: Operand) => void
}

/** A right side, offered by type: choices, people, yes or no; numbers, dates and texts are typed, or taken from another field. */
function Side({ label, table, field, people, value, onChange }: SideProps) {
  const options = fixedOptions(field, people)
  const others = table.fields
    .filter((f) => f.name !== field.name && f.type === field.type)
    .map((f) => ({ value: FIELD_PREFIX + f.name, label: `its ${f.label.toLowerCase()}`, note: 'field' }))
  const other = value !== null && typeof value === 'object' && 'field' in value ? String(value.field) : null
  if (options) {
    const chosen = other ? FIELD_PREFIX + other : value === undefined ? null : value === null || value === '' ? BLANK : String(value)
    return (
      <Labelled label={label}>
        <Choice label={label} value={chosen} options={[...options, { value: BLANK, label: 'blank' }, ...others]} onChange={(v) => onChange(readOption(v, field))} />
      </Labelled>
    )
  }
  const text = value === undefined || value === null || typeof value === 'object' ? '' : String(value)
  return (
    <Labelled label={label} note={others.length > 0 && <OtherField others={others} chosen={other} onPick={(v) => onChange(v === null ? '' : { field: v })} />}>
      {other ? (
        <p className="blank-line">its {others.find((o) => o.value === FIELD_PREFIX + other)?.label.replace(/^its /, '') ?? other}</p>
      ) : (
        <input
          aria-label={label}
          className="blank-line"
          value={text}
          type={field.type === 'date' ? 'date' : 'text'}
          inputMode={isNumber(field) ? 'decimal' : undefined}
          onChange={(e) => onChange(readTyped(e.target.value, field))}
        />
      )}
    </Labelled>
  )
}

function OtherField({ others, chosen, onPick }: { others: readonly Option[]; chosen: string | null; onPick: (field: string | null) => void }) {
  if (chosen)
    return (
      <button type="button" className="text-spruce hover:underline" onClick={() => onPick(null)}>
        type a value instead
      </button>
    )
  return (
    <>
      or{' '}
      {others.map((o) => (
        <button key={o.value} type="button" className="mr-2 text-spruce hover:underline" onClick={() => onPick(o.value.slice(FIELD_PREFIX.length))}>
          {o.label}
        </button>
      ))}
    </>
  )
}

const isNumber = (field: FieldDef) => field.type === 'number' || field.type === 'money'

/** What was typed as the document wants it: a number where it is one, else the text as it stands so that the review can say what is wrong. */
function readTyped(text: string, field: FieldDef): Operand {
  const isPlain = /^-?\d{1,15}(\.\d+)?$/.test(text.trim()) && text.replace(/\D/g, '').length <= 15
  return isNumber(field) && isPlain && !/\.\d*0$/.test(text) ? Number(text) : text
}

/** The values that can only be chosen from: choices, people by e-mail, yes and no; null for what is typed. */
export function fixedOptions(field: FieldDef, people: readonly PersonChoice[]): Option[] | null {
  if (field.type === 'choice') return (field.choices ?? []).map((c) => ({ value: c, label: c }))
  if (field.type === 'person') return people.map((p) => ({ value: p.email, label: p.name }))
  if (field.type !== 'yes/no') return null
  return [
    { value: 'true', label: 'yes' },
    { value: 'false', label: 'no' },
  ]
}

function readOption(value: string, field: FieldDef): Operand {
  if (value === BLANK) return null
  if (value.startsWith(FIELD_PREFIX)) return { field: value.slice(FIELD_PREFIX.length) }
  return field.type === 'yes/no' ? value === 'true' : value
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
          onChange={(e) => onChange(e.target.value.split(',').map((v) => readTyped(v.trimStart(), field) as string | number))}
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

function SpanFields({ value, onChange }: { value: Operand | undefined; onChange: (value: Operand) => void }) {
  const [unit, count] = value && typeof value === 'object' && !Array.isArray(value) ? (Object.entries(value)[0] as [string, number]) : ['days', 7]
  return (
    <div className="grid grid-cols-2 gap-3">
      <Labelled label="Number">
        <input
          aria-label="Number"
          className="blank-line"
          inputMode="numeric"
          value={value === undefined ? '' : count}
          onChange={(e) => onChange({ [unit]: Number(e.target.value.replace(/\D/g, '')) || 1 } as Operand)}
        />
      </Labelled>
      <Labelled label="Of">
        <Choice label="Of" value={unit} options={['minutes', 'hours', 'days'].map((u) => ({ value: u, label: u }))} onChange={(u) => onChange({ [u]: count } as Operand)} />
      </Labelled>
    </div>
  )
}
