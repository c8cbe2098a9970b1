import { type Figure, isComputed } from '@/core/document/figure'
import { knownFigure } from '@/core/figures/groups'
import { renamedInFigure } from '@/core/figures/rename'
import { reviewFigure } from '@/core/figures/review'
import { createEngines } from '@/core/message/render'
import { NOWHERE } from '@/core/paths/rename'
import type { RootDef } from '@/core/paths/roots'
import { review } from '@/core/review/review'
import { reviewTemplate } from '@/core/review/template'
import { PERSON_TABLE, type Schema, type TableDef } from '@/core/values/tables'
import { renamedFormula, renamedText } from '@/core/workflow/rename/texts'
import { renamedInTemplate, renamedInWorkflow } from '@/core/workflow/rename/workflow'
import { BY_FIGURE, FIGURES } from '@/demo/figures'
import { TABLES } from '@/demo/tables'
import { TEMPLATES } from '@/demo/templates'
import { WORKFLOWS } from '@/demo/workflows'
import { BY_CLOCK } from '@/demo/workflows-by-clock'
import { LIMITED } from '@/demo/workflows-limited'
import { BOAT_TABLES } from '../support/boats'
import { ORGANISATION } from '../support/core'

/** A field gets another name, and everything that speaks of it goes along, and means what it meant. */

function schemaOf(tables: readonly TableDef[], figures: readonly Figure[] = []): Schema {
  const plain = new Map([PERSON_TABLE, ...tables].map((t) => [t.name, t]))
  const all = new Map(figures.map((f) => [f.name, f]))
  const own = ({ name }: TableDef) => figures.filter((f) => !isComputed(f) && f.table === name).map((f) => knownFigure(f, plain, all))
  return new Map([...plain.values()].map((t) => [t.name, { ...t, figures: own(t) }]))
}
const renamedTable = (table: TableDef, from: string, to: string): TableDef => ({
  ...table,
  titleField: table.titleField === from ? to : table.titleField,
  ...(table.ownerField ? { ownerField: table.ownerField === from ? to : table.ownerField } : {}),
  fields: table.fields.map((f) => (f.name === from ? { ...f, name: to } : f)),
})

const SHIPPED = [...WORKFLOWS, ...BY_CLOCK, ...LIMITED, ...BY_FIGURE].map((s) => s.workflow)
const settingOf = (schema: Schema, templates: typeof TEMPLATES) => ({
  schema,
  people: new Map(),
  organisation: ORGANISATION,
  groups: new Set<string>(),
  teams: new Set<string>(),
  engines: createEngines(ORGANISATION),
  templates: new Map(templates.map((t) => [t.name, t])),
})

/** What a review finds, apart from its sentences, which have names in them. */
const found = (findings: readonly { code: string; path: string }[]) => findings.map(({ code, path }) => `${code} ${path}`).sort()

// every shipped workflow, template and figure against every field of every table
test('whatever field is renamed, the review of every document finds what it found before; named back, they are as they were', () => {
  const before = schemaOf(TABLES, FIGURES)
  const was = SHIPPED.map((workflow) => found(review(workflow, settingOf(before, TEMPLATES))))
  let touched = 0
  for (const table of TABLES)
    for (const { name: from } of table.fields) {
      if (table.name === 'tasks') continue // its fields keep their names: tasks are made with them

      const to = `${from}_then`
      const there = { schema: before, table: table.name, from, to }
      const after = schemaOf(
        TABLES.map((t) => (t === table ? renamedTable(t, from, to) : t)),
        FIGURES.map((f) => renamedInFigure(f, there)),
      )
      const back = { schema: after, table: table.name, from: to, to: from }
      const templates = TEMPLATES.map((t) => renamedInTemplate(t, there))
      for (const [i, workflow] of SHIPPED.entries()) {
        const renamed = renamedInWorkflow(workflow, there)
        if (JSON.stringify(renamed) !== JSON.stringify(workflow)) touched++
        expect([table.name, from, workflow.name, found(review(renamed, settingOf(after, templates)))]).toEqual([table.name, from, workflow.name, was[i]])
        expect(renamedInWorkflow(renamed, back)).toEqual(workflow)
      }
      for (const [i, template] of templates.entries()) {
        expect([template.name, from, found(reviewTemplate(template, settingOf(after, templates)))]).toEqual([
          template.name,
          from,
          found(reviewTemplate(TEMPLATES[i] as typeof template, settingOf(before, TEMPLATES))),
        ])
        expect(renamedInTemplate(template, back)).toEqual(TEMPLATES[i])
      }
      for (const figure of FIGURES) {
        const renamed = renamedInFigure(figure, there)
        expect(renamedInFigure(renamed, back)).toEqual(figure)
        expect(found(reviewFigure(renamed, after))).toEqual(found(reviewFigure(figure, before)))
      }
    }
  expect(touched).toBeGreaterThan(100)
})

// every shipped workflow and template, whatever one of its table's records is called from now on
test.each(['thing', 'case', 'name'])(
  'whatever a record is called, such as %s, the review of every document finds what it found before; named back, they are as they were',
  (to) => {
    const before = schemaOf(TABLES, FIGURES)
    const was = SHIPPED.map((workflow) => found(review(workflow, settingOf(before, TEMPLATES))))
    let touched = 0
    for (const table of TABLES) {
      const there = { schema: before, table: table.name, from: NOWHERE, to: NOWHERE, singular: { from: table.singular, to } }
      const after = schemaOf(
        TABLES.map((t) => (t === table ? { ...t, singular: to } : t)),
        FIGURES,
      )
      const back = { ...there, schema: after, singular: { from: to, to: table.singular } }
      const templates = TEMPLATES.map((t) => renamedInTemplate(t, there))
      for (const [i, workflow] of SHIPPED.entries()) {
        const renamed = renamedInWorkflow(workflow, there)
        if (JSON.stringify(renamed) !== JSON.stringify(workflow)) touched++
        expect([table.name, workflow.name, found(review(renamed, settingOf(after, templates)))]).toEqual([table.name, workflow.name, was[i]])
        expect(renamedInWorkflow(renamed, back)).toEqual(workflow)
      }
      for (const [i, template] of templates.entries()) expect(renamedInTemplate(template, back)).toEqual(TEMPLATES[i])
    }
    expect(touched).toBeGreaterThan(10)
  },
)

const BOATS = schemaOf(BOAT_TABLES)
const at = (name: string) => BOATS.get(name) as TableDef
const ROOTS = new Map<string, RootDef>([
  ['record', { kind: 'record', table: at('trips') }],
  ['trip', { kind: 'record', table: at('trips') }],
  ['bookings', { kind: 'list', table: at('bookings') }],
  ['told', { kind: 'value' }],
])
const inBoats = { schema: BOATS, table: 'boats', from: 'name', to: 'called' }
const called = (from: string, to: string) => ({ schema: BOATS, table: 'trips', from: NOWHERE, to: NOWHERE, singular: { from, to } })
const inBookings = { schema: BOATS, table: 'bookings', from: 'name', to: 'guest' }

test.each([
  ['{{ trip.boat.name }} and {{trip.number}}', inBoats, '{{ trip.boat.called }} and {{trip.number}}'],
  ['name: {{ trip.boat . name | default: "name" }}', inBoats, 'name: {{ trip.boat . called | default: "name" }}'],
  ['{{ trip.boat["name"] }}', inBoats, '{{ trip.boat["called"] }}'],
  ['{% for b in bookings %}{{ b.name }}, {{ b.trip.boat.name }}{% endfor %}', inBookings, '{% for b in bookings %}{{ b.guest }}, {{ b.trip.boat.name }}{% endfor %}'],
  ['{% for b in bookings %}{{ b.name }}, {{ b.trip.boat.name }}{% endfor %}', inBoats, '{% for b in bookings %}{{ b.name }}, {{ b.trip.boat.called }}{% endfor %}'],
  ['{{ bookings.first.name }} {{ bookings.size }}', inBookings, '{{ bookings.first.guest }} {{ bookings.size }}'],
  ['{% assign b = trip.boat %}{{ b.name }}', inBoats, '{% assign b = trip.boat %}{{ b.called }}'],
  ['{{ bookings | map: "name" | join: ", " }}', inBookings, '{{ bookings | map: "guest" | join: ", " }}'],
  ['{% if trip.boat.name == "name" %}name{% endif %}', inBoats, '{% if trip.boat.called == "name" %}name{% endif %}'],
  ['{{ told.name }} {{ name }} {{ trip.name }}', inBoats, '{{ told.name }} {{ name }} {{ trip.name }}'],
  ['{{ trip.boat.name', inBoats, '{{ trip.boat.name'],
  ['{{ trip.boat.name }} trip {{ record.trip }} {{ "trip" }}', called('trip', 'sailing'), '{{ sailing.boat.name }} trip {{ record.trip }} {{ "trip" }}'],
  [
    '{% case trip.number %}{% when "1" %}{{ trip.number | trip: trip.number, trip: 1 }}{% endcase %}',
    called('trip', 'case'),
    '{% case case.number %}{% when "1" %}{{ case.number | trip: case.number, trip: 1 }}{% endcase %}',
  ],
  ['{%- case case.number %}{{ case.x | size }}{% endcase %}', called('case', 'size'), '{%- case size.number %}{{ size.x | size }}{% endcase %}'],
  [
    '{% for trip in bookings %}{{ trip.name }}{% endfor %}{{ trip.number }}',
    called('trip', 'sailing'),
    '{% for sailing in bookings %}{{ sailing.name }}{% endfor %}{{ sailing.number }}',
  ],
])('in the text %s', (source, renaming, expected) => {
  expect(renamedText(source, ROOTS, renaming)).toBe(expected)
})

test.each([
  ['boat.name', inBoats, 'boat.called'],
  ['if record.boat.name = "name" then 1 else 2', inBoats, 'if record.boat.called = "name" then 1 else 2'],
  ['count(bookings[name = "Ana" and trip.boat.name = "Gull"])', inBookings, 'count(bookings[guest = "Ana" and trip.boat.name = "Gull"])'],
  ['count(bookings[item.name != null])', inBookings, 'count(bookings[item.guest != null])'],
  [
    'count(bookings[name = "Ana"]) + count(bookings[seats > 2].name) + bookings[1].trip.boat.name',
    inBookings,
    'count(bookings[guest = "Ana"]) + count(bookings[seats > 2].guest) + bookings[1].trip.boat.name',
  ],
  ['for b in bookings return b.name', inBookings, 'for b in bookings return b.guest'],
  ['some b in bookings satisfies b.name = number', inBookings, 'some b in bookings satisfies b.guest = number'],
  ['string length(number) > 1.5e3', inBoats, 'string length(number) > 1.5e3'],
  ['number + trip.number', { schema: BOATS, table: 'trips', from: 'number', to: 'function' }, 'record.function + trip.function'],
  ['count(bookings[name = "Ana"])', { ...inBookings, to: 'in' }, 'count(bookings[item.in = "Ana"])'],
  ['trip.number + string(trip.boat.name) + "trip"', called('trip', 'sailing'), 'sailing.number + string(sailing.boat.name) + "trip"'],
  ['count(bookings[trip.number = 1]) + count.number', called('count', 'sum'), 'count(bookings[trip.number = 1]) + sum.number'],
  ['for trip in bookings return trip.name', called('trip', 'sailing'), 'for sailing in bookings return sailing.name'],
])('in the formula %s', (source, renaming, expected) => {
  expect(renamedFormula(source, at('trips'), ROOTS, renaming)).toBe(expected)
})

test('a text of braces alone takes no time', () => {
  for (const text of ['{{'.repeat(100_000), `{%${' {'.repeat(100_000)}`]) expect(renamedText(text, ROOTS, inBoats)).toBe(text)
})
