import { type FieldDef, PERSON_TABLE, type TableDef } from '../values/tables'
import { reachOf, spokenOf, tablesNear } from './near'

const link = (table: string): FieldDef => ({ name: table, label: table, type: 'link', table })
const table = (name: string, links: readonly string[] = [], wide = 0): TableDef => ({
  name,
  label: name,
  singular: `one_${name}`,
  titleField: 'called',
  ownerField: 'keeper',
  fields: [
    { name: 'called', label: 'Called', type: 'text' },
    { name: 'keeper', label: 'Keeper', type: 'person' },
    { name: 'due', label: 'Due', type: 'date', required: true },
    ...links.map(link),
    ...Array.from({ length: wide }, (_, i): FieldDef => ({ name: `f${i}`, label: `F ${i}`, type: 'text' })),
  ],
})
const schemaOf = (...tables: readonly TableDef[]) => new Map([['person', PERSON_TABLE], ...tables.map((t) => [t.name, t] as const)])

/** Berths lead to ports, ports to countries, those to regions, those to worlds. */
const chain = (wide = 0) =>
  schemaOf(table('berths', ['ports'], wide), table('ports', ['countries']), table('countries', ['regions']), table('regions', ['worlds']), table('worlds', [], 3_000))

test('what is spoken of are the names of tables that stand in it as words, wherever', () => {
  const schema = chain()
  expect([...spokenOf(schema, { table: 'berths', bringIn: [{ list: 'ports.country' }], body: '{% for r in regions %}', name: 'All countriesides' })].sort()).toEqual([
    'berths',
    'ports',
    'regions',
  ])
  expect([...spokenOf(schema, 'worlds')]).toEqual(['worlds'])
  expect([...spokenOf(schema, undefined)]).toEqual([])
})

test('a table reaches what three links lead to, people by person fields, and no further', () => {
  expect([...reachOf(chain(), ['berths'])]).toEqual(['berths', 'person', 'ports', 'countries', 'regions'])
  expect([...reachOf(chain(), ['nothing'])]).toEqual([])
  const round = schemaOf(table('a', ['b']), table('b', ['a']))
  expect([...reachOf(round, ['a'])]).toEqual(['a', 'person', 'b'])
})

test('few fields are sent as they are; of many, only what is near is whole, and the others keep what names, links and makes their records', () => {
  const few = chain()
  expect(tablesNear(few, 'berths')).toEqual([...few.values()])
  const many = chain(2_000)
  const sent = tablesNear(many, { table: 'berths' })
  expect(sent.map((t) => [t.name, t.short === true])).toEqual([
    ['person', false],
    ['berths', false],
    ['ports', false],
    ['countries', false],
    ['regions', false],
    ['worlds', true],
  ])
  expect(sent.at(-1)?.fields.map((f) => f.name)).toEqual(['called', 'keeper', 'due'])
  expect(
    tablesNear(many, 'worlds')
      .find((t) => t.name === 'berths')
      ?.fields.map((f) => f.name),
  ).toEqual(['called', 'keeper', 'due', 'ports'])
})
