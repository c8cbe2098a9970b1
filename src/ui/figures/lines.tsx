'use client'

import type { Condition } from '@/core/document/condition'
import { CALENDAR_WINDOWS, type ComputedFigure, MEASURES, type MeasureKind, measured, measureOf, PERIODS, type TableFigure, UNITS, type Within } from '@/core/document/figure'
import { shiftWords } from '@/core/figures/words'
import { everyTableFields, type FieldDef, type TableDef, targetOf } from '@/core/values/tables'
import { Filter } from '../grid/filter'
import { Choice, type Option } from '../parts/choice'
import { useReach } from '../records/tables-context'
import type { PersonChoice } from '../records/values'

const NONE = '—'

const MEASURE_WORDS: Record<MeasureKind, string> = { count: 'count', sum: 'sum', average: 'average', minimum: 'minimum', maximum: 'maximum', distinct: 'different values' }

const isDated = (f: FieldDef) => f.type === 'date' || f.type === 'date-time'
const isNumeric = (f: FieldDef) => f.type === 'number' || f.type === 'money'
const isGroup = (f: FieldDef) => ['text', 'choice', 'yes/no', 'person', 'link', 'email'].includes(f.type)

/** A numbered line of a figure's definition: its part, and what it says. */
export function DefinitionLine({ number, part, fault, children }: { number: number; part: string; fault?: string; children: React.ReactNode }) {
  return (
    <section aria-label={`line ${number}, ${part}`} className="grid grid-cols-[2rem_6.5rem_minmax(0,1fr)] items-baseline gap-x-3 border-rule border-t py-2.5">
      <span className="text-right font-mono text-muted text-xs">{number}</span>
      <span className="font-semibold text-muted text-xs uppercase tracking-wide">{part}</span>
      <div className="min-w-0">
        {children}
        {fault && (
          <p role="alert" className="mt-1 text-alarm text-sm">
            {fault}
          </p>
        )}
      </div>
    </section>
  )
}

interface Part {
  readonly figure: TableFigure
  readonly table: TableDef
  readonly onChange: (change: Partial<TableFigure>) => void
}

/** What is worked out, over which table. */
export function MeasureFields({ figure, table, tables, onChange }: Part & { readonly tables: readonly TableDef[] }) {
  const reach = useReach()
  const { kind, field } = measureOf(figure.of)
  const numbers = table.fields.filter(isNumeric)
  const others = table.fields.filter((f) => !['file', 'long text'].includes(f.type))
  const set = (next: MeasureKind, name = (next === 'distinct' ? others : numbers)[0]?.name ?? '') => onChange({ of: measured(next, name) })
  return (
    <div className="flex flex-wrap items-baseline gap-x-4 gap-y-2">
      <span className="w-40">
        <Choice label="What is worked out" value={kind} options={MEASURES.map((m) => ({ value: m, label: MEASURE_WORDS[m] }))} onChange={(m) => set(m)} />
      </span>
      {field !== null && (
        <>
          <span className="text-muted">of</span>
          <span className="w-44">
            <Choice label="Of the field" value={field || null} options={(kind === 'distinct' ? others : table.fields).map(optionOf)} onChange={(name) => set(kind, name)} />
          </span>
        </>
      )}
      <span className="text-muted">{field === null ? 'of' : 'over'}</span>
      <span className="w-44">
        <Choice
          label="Over the records of"
          value={figure.table}
          options={tables.map((t) => ({ value: t.name, label: t.label }))}
          onChange={(name) => void reach(name).then(() => onChange({ table: name, of: { count: true }, where: undefined, by: undefined, within: undefined }))}
        />
      </span>
    </div>
  )
}

const optionOf = (f: FieldDef): Option => ({ value: f.name, label: f.label, note: f.type })

/** Which records count. */
export function WhereFields({ figure, table, people, onChange }: Part & { readonly people: readonly PersonChoice[] }) {
  const where: Condition | null = figure.where ?? null
  return <Filter table={table} people={people} where={where} onChange={(next) => onChange({ where: next ?? undefined })} />
}

/** Fields to group by one link away: "its passenger's language". */
function further(link: FieldDef, tables: readonly TableDef[]): Option[] {
  const target = tables.find((t) => t.name === targetOf(link))
  return (target?.fields ?? []).filter(isGroup).map((f) => ({ value: `${link.name}.${f.name}`, label: `${link.label.toLowerCase()}’s ${f.label.toLowerCase()}`, note: f.type }))
}

/** What the records are grouped by. */
export function GroupFields({ figure, table, tables, onChange }: Part & { readonly tables: readonly TableDef[] }) {
  const by = figure.by
  const value = by === undefined ? NONE : typeof by === 'string' ? by : `${by.each} ${by.field}`
  const fields = [...table.fields, ...everyTableFields(table)]
  const options: Option[] = [
    { value: NONE, label: 'nothing: one number' },
    ...fields.filter(isGroup).map(optionOf),
    ...fields.flatMap((link) => further(link, tables)),
    ...fields.filter(isDated).flatMap((f) => PERIODS.map((each) => ({ value: `${each} ${f.name}`, label: `${each} of ${f.label.toLowerCase()}` }))),
  ]
  const set = (next: string) => {
    const [each, field] = next.split(' ')
    const period = PERIODS.find((p) => p === each)
    onChange({ by: next === NONE ? undefined : field === undefined || !period ? next : { field, each: period } })
  }
  return (
    <span className="block w-64">
      <Choice label="Grouped by" value={value} options={options} onChange={set} />
    </span>
  )
}

/** A figure that is worked out from others: the formula, and the figures that it may name. */
export function FormulaFields({
  figure,
  figures,
  onChange,
}: {
  readonly figure: ComputedFigure
  readonly figures: readonly { readonly name: string; readonly label: string }[]
  readonly onChange: (change: Partial<ComputedFigure>) => void
}) {
  return (
    <>
      <input
        aria-label="Formula"
        className="blank-line w-full font-mono"
        value={figure.formula}
        placeholder="on_time / sailings * 100"
        spellCheck={false}
        onChange={(e) => onChange({ formula: e.target.value })}
      />
      <p className="mt-2 flex flex-wrap gap-x-4 gap-y-1 text-muted text-xs">
        {figures.length === 0 && 'There is no other figure yet that it could be worked out from.'}
        {figures.map((f) => (
          <button
            key={f.name}
            type="button"
            title={`Add ${f.name}`}
            className="hover:text-ink hover:underline"
            onClick={() => onChange({ formula: `${figure.formula.trimEnd()} ${f.name}`.trim() })}
          >
            {f.label} <span className="font-mono">{f.name}</span>
          </button>
        ))}
      </p>
    </>
  )
}

const UNIT_WORDS = { number: 'a number', money: 'money', percent: 'a percentage: 85 is 85 %' }

/** How values of a figure that is worked out from others are shown. */
export function UnitFields({ figure, onChange }: { readonly figure: ComputedFigure; readonly onChange: (change: Partial<ComputedFigure>) => void }) {
  return (
    <span className="block w-64">
      <Choice label="Shown as" value={figure.unit ?? 'number'} options={UNITS.map((u) => ({ value: u, label: UNIT_WORDS[u] }))} onChange={(unit) => onChange({ unit })} />
    </span>
  )
}

const SHIFTS = ['P1Y', 'P1M', 'P1W', 'P1D']
const LAST = [7, 14, 30, 90, 365]

/** The window of days that a record's date has to fall in. */
export function WithinFields({ figure, table, onChange }: Part) {
  const { within } = figure
  const dates = [...table.fields, ...everyTableFields(table)].filter(isDated)
  const set = (change: Partial<Within>) => onChange({ within: { field: dates[0]?.name ?? '', window: 'this week', ...within, ...change } })
  const window = within && (typeof within.window === 'string' ? within.window : String(within.window.last))
  const lasts = within && typeof within.window === 'object' && !LAST.includes(within.window.last) ? [...LAST, within.window.last] : LAST
  return (
    <div className="flex flex-wrap items-baseline gap-x-4 gap-y-2">
      <span className="w-44">
        <Choice
          label="Within, by the date"
          value={within?.field ?? NONE}
          options={[{ value: NONE, label: 'any time' }, ...dates.map(optionOf)]}
          onChange={(field) => (field === NONE ? onChange({ within: undefined }) : set({ field }))}
        />
      </span>
      {within && (
        <>
          <span className="w-40">
            <Choice
              label="The window"
              value={window ?? null}
              options={[...CALENDAR_WINDOWS.map((w): Option => ({ value: w, label: w })), ...lasts.map((n) => ({ value: String(n), label: `the last ${n} days` }))]}
              onChange={(w) => set({ window: CALENDAR_WINDOWS.find((c) => c === w) ?? { last: Number(w) } })}
            />
          </span>
          <span className="w-40">
            <Choice
              label="Moved back"
              value={within.shift ?? NONE}
              options={[
                { value: NONE, label: 'as it is now' },
                ...[...new Set([...SHIFTS, ...(within.shift ? [within.shift] : [])])].map((s) => ({ value: s, label: shiftWords(s) })),
              ]}
              onChange={(shift) => set({ shift: shift === NONE ? undefined : shift })}
            />
          </span>
        </>
      )}
    </div>
  )
}
