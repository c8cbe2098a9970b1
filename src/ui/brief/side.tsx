'use client'

import type { Operand } from '@/core/document/condition'
import { membersOf } from '@/core/must'
import { nounOf } from '@/core/values/naming'
import type { FieldDef, FieldType, TableDef } from '@/core/values/tables'
import { FormulaField } from '../editor/formula-field'
import { Choice, type Option } from '../parts/choice'
import { DateField } from '../parts/date-field'
import { Labelled } from '../parts/labelled'
import { useTables } from '../records/tables-context'
import type { PersonChoice } from '../records/values'
import { fixedOptions, isNumber, pathOptions, readTyped } from './clause-values'

type Way = 'fixed' | 'field' | 'today' | 'changedBy' | 'formula'

const WAYS: readonly { readonly value: Way; readonly label: string; readonly on: (type: FieldType) => boolean }[] = [
  { value: 'fixed', label: 'a fixed value', on: () => true },
  { value: 'field', label: 'what a field holds', on: () => true },
  { value: 'today', label: 'a day, counted from today', on: (type) => type === 'date' || type === 'date-time' },
  { value: 'changedBy', label: 'whoever changed it', on: (type) => type === 'person' },
  { value: 'formula', label: 'a formula', on: () => true },
]

const FRESH: Readonly<Record<Way, Operand>> = { fixed: '', field: { field: '' }, today: { today: 0 }, changedBy: { changedBy: true }, formula: { formula: '' } }

/** How a right side is given. */
function wayOf(value: Operand | undefined): Way {
  if (value === null || typeof value !== 'object' || Array.isArray(value)) return 'fixed'
  return WAYS.find((w) => w.value in value)?.value ?? 'fixed'
}

interface Props {
  readonly label: string
  readonly table: TableDef
  readonly field: FieldDef
  readonly people: readonly PersonChoice[]
  readonly value: Operand | undefined
  readonly onChange: (value: Operand) => void
  /** Whether it filters records, where there is no change and no formula. */
  readonly ofRecords: boolean
  /** The table of the record beside the entry that the clause is about. */
  readonly outer?: TableDef
}

/** A right side: how it is given, and what it is, offered by type. */
export function Side(props: Props) {
  const { label, field, value, onChange, ofRecords } = props
  const way = wayOf(value)
  const ways = WAYS.filter((w) => w.on(field.type) && !(ofRecords && (w.value === 'changedBy' || w.value === 'formula')))
  return (
    <Labelled label={label}>
      <Given {...props} way={way} />
      <div className="text-muted text-xs">
        <Choice label={`${label === 'Value' ? 'It' : label} is`} quiet value={way} options={ways} onChange={(next) => next !== way && onChange(FRESH[next])} />
      </div>
    </Labelled>
  )
}

function Given({ label, table, field, people, value, onChange, way, outer }: Props & { way: Way }) {
  const schema = useTables()
  const held = membersOf(value)
  if (way === 'changedBy') return <p className="blank-line">whoever changed it</p>
  if (way === 'formula') return <FormulaField label={label} value={String(held.formula)} onChange={(formula) => onChange({ formula })} />
  if (way === 'field') {
    const alike = (o: Option) => o.value !== field.name && (o.note === field.type || (isNumber(field) && (o.note === 'number' || o.note === 'money')))
    const ofRecord = outer ? pathOptions(outer, schema).map((o) => ({ ...o, value: `record.${o.value}`, label: `the ${nounOf(outer)}’s ${o.label}` })) : []
    const options = [...pathOptions(table, schema), ...ofRecord].filter(alike)
    return <Choice label={label} value={String(held.field) || null} options={options} onChange={(path) => onChange({ field: path })} />
  }
  if (way === 'today') return <DaysFromToday label={label} days={Number(held.today)} onChange={(today) => onChange({ today })} />
  return <Fixed label={label} field={field} people={people} value={value} onChange={onChange} />
}

const SIDES: readonly Option[] = [
  { value: 'after', label: 'days after today' },
  { value: 'before', label: 'days before today' },
]

function DaysFromToday({ label, days, onChange }: { label: string; days: number; onChange: (days: number) => void }) {
  const side = days < 0 || Object.is(days, -0) ? 'before' : 'after'
  const sign = side === 'before' ? -1 : 1
  return (
    <div className="grid grid-cols-[3.5rem_minmax(0,1fr)] gap-3">
      <input
        aria-label={label}
        className="blank-line"
        inputMode="numeric"
        value={Math.abs(days)}
        onChange={(e) => onChange(sign * (Number(e.target.value.replace(/\D/g, '').slice(0, 5)) || 0))}
      />
      <Choice label={`${label} lies`} value={side} options={SIDES} onChange={(next) => onChange((next === 'before' ? -1 : 1) * Math.abs(days))} />
    </div>
  )
}

const BLANK = '\u0000blank'

function Fixed({ label, field, people, value, onChange }: Pick<Props, 'label' | 'field' | 'people' | 'value' | 'onChange'>) {
  const options = fixedOptions(field, people)
  if (options)
    return (
      <Choice
        label={label}
        value={value === undefined ? null : value === null || value === '' ? BLANK : String(value)}
        options={[...options, { value: BLANK, label: 'blank' }]}
        onChange={(v) => onChange(v === BLANK ? null : field.type === 'yes/no' ? v === 'true' : v)}
      />
    )
  if (field.type === 'date' || field.type === 'date-time')
    return <DateField label={label} value={typeof value === 'string' ? value : ''} onChange={onChange} clock={field.type === 'date-time'} />
  return (
    <input
      aria-label={label}
      className="blank-line"
      value={value === undefined || value === null || typeof value === 'object' ? '' : String(value)}
      inputMode={isNumber(field) ? 'decimal' : undefined}
      onChange={(e) => onChange(readTyped(e.target.value, field))}
    />
  )
}
