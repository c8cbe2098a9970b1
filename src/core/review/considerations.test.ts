import { BOAT_TABLES, tripWorkflow } from '../../../tests/support/boats'
import type { Action, Workflow } from '../document/document'
import { createEngines } from '../message/render'
import { PERSON_TABLE } from '../values/tables'
import { considerations } from './considerations'
import type { ReviewSetting } from './context'

const organisation = { name: 'Boats', locale: 'en-GB', zone: 'UTC', currency: 'EUR' }
const setting: ReviewSetting = {
  schema: new Map([...BOAT_TABLES, PERSON_TABLE].map((t) => [t.name, t])),
  people: new Map(),
  organisation,
  groups: new Set(['Desk', 'Gone']),
  emptyGroups: new Set(['Gone']),
  teams: new Set(),
  engines: createEngines(organisation),
  templates: new Map([['Nothing', { name: 'Nothing', table: 'trips', subject: 'S', body: ' ', format: 'plain', priority: 'normal' }]]),
}
const found = (parts: Partial<Workflow>, live: Workflow[] = []) => considerations(tripWorkflow(parts), { ...setting, live }).map((f) => [f.code, f.path, f.message])
const tell: Action = { name: 'tell', do: 'email', to: [{ group: 'Desk' }], subject: 'S', body: 'B' }
const set = (field: string, target?: string): Action => ({ name: `set ${field}`, do: 'update', ...(target ? { target } : {}), set: { [field]: 'x' } })

test('a group that nobody is in and a template that says nothing are asked about, unless the line is muted', () => {
  const empty: Action = { ...tell, cc: [{ group: 'Gone' }], template: 'Nothing', subject: undefined, body: undefined } as Action
  expect(found({ actions: [tell] })).toEqual([])
  expect(found({ actions: [empty] }).map(([code, path]) => [code, path])).toEqual([
    ['empty group', '/actions/0/cc/0'],
    ['empty template', '/actions/0/template'],
  ])
  expect(found({ actions: [{ ...empty, muted: true }] })).toEqual([])
})

test('a loop is told with its chain: through a creation it goes on, for one record each fires once', () => {
  const onBoat: Workflow = tripWorkflow({
    name: 'Boat',
    table: 'boats',
    conditions: { field: 'state', op: 'is', value: 'Laid up' },
    actions: [{ name: 'new', do: 'create', table: 'trips', set: {} }],
  })
  const made = { cue: { kind: 'record' as const, on: ['created' as const] }, conditions: undefined, actions: [set('state', 'boat')] }
  const [[code, path, message]] = found(made, [onBoat]) as [[string, string, string]]
  expect([code, path]).toEqual(['loop', '/actions/0'])
  expect(message).toMatch(/sets off “Boat”, which sets this one off again\. Such a chain is stopped after 12 runs/)
  const back = tripWorkflow({ name: 'Back', conditions: { field: 'told', op: 'is filled' }, actions: [set('state')] })
  expect(found({ actions: [set('told')] }, [back])[0]?.[2]).toMatch(/sets off “Back”, which sets this one off again\. Each fires once for the record/)
  expect(found({ actions: [{ name: 'again', do: 'create', table: 'trips', set: {} }], cue: { kind: 'record', on: ['created'] } })[0]?.[2]).toMatch(
    /^What it writes here sets it off again/,
  )
})

test('what cannot set anything off is no loop', () => {
  expect(found({ actions: [set('state')] })).toEqual([])
  const other = tripWorkflow({ name: 'Other', conditions: { field: 'told_on', op: 'is filled' }, actions: [set('state')] })
  expect(found({ actions: [set('told')] }, [other])).toEqual([])
  expect(found({ actions: [set('told')] }, [{ ...other, conditions: { field: 'told', op: 'is filled' }, cue: { kind: 'record', on: ['changed'], fields: ['number'] } }])).toEqual(
    [],
  )
  expect(found({ actions: [set('told')] }, [{ ...other, conditions: { field: 'told', op: 'is filled' }, cue: { kind: 'record', on: ['deleted'] } }])).toEqual([])
  expect(found({ refire: true, actions: [set('state')] })[0]?.[0]).toBe('loop')
})

test('a field that another thing used here has too is told, unless both are used or it is a name', () => {
  const list = { bringIn: [{ name: 'guest', link: 'boat.keeper' }] }
  const body = '{{ trip.boat.keeper.phone }} {{ other.name }}'
  const bring = { bringIn: [{ name: 'other', list: 'bookings.trip' }] }
  expect(found({ actions: [{ ...tell, body: '{{ trip.boat.keeper.email }}' } as Action] })).toEqual([])
  const mixed = found({
    ...bring,
    actions: [{ name: 'each', do: 'each', of: 'other', as: 'guest', actions: [{ ...tell, body: '{{ guest.email }} {{ trip.boat.keeper.first_name }}' } as Action] }],
  })
  expect(mixed).toEqual([['same name', '/actions/0/actions/0', 'The email here is that of the guest; the boat’s keeper has one too. Make sure that it is the one you mean.']])
  expect(found({ ...list, actions: [{ ...tell, body } as Action] })).toEqual([])
})
