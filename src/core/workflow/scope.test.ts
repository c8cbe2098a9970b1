import { BOAT_TABLES, tripWorkflow } from '../../../tests/support/boats'
import { PERSON_TABLE, type TableDef } from '../values/tables'
import { scopeAt } from './scope'

const schema = new Map<string, TableDef>([['person', PERSON_TABLE], ...BOAT_TABLES.map((t) => [t.name, t] as const)])
const trips = schema.get('trips') as TableDef
const email = { name: 'm', do: 'email' as const, to: [], subject: 'S', body: 'B' }
const workflow = tripWorkflow({
  bringIn: [
    { name: 'ship', link: 'boat' },
    { name: 'guests', list: 'bookings.trip' },
  ],
  values: [{ name: 'seats', formula: 'sum(guests.seats)' }],
  actions: [
    email,
    { name: 'check', do: 'create', table: 'checks', set: {} },
    { name: 'all', do: 'each', of: 'guests', as: 'guest', actions: [email] },
    { name: 'pick', do: 'choose', branches: [{ when: { all: [] }, actions: [{ name: 'other', do: 'create', table: 'tasks', set: {} }, email] }] },
  ],
})
const names = (path: string) => [...scopeAt(workflow, path, trips, { schema }).keys()]
const base = ['record', 'before', 'trip']

test.each([
  ['/cue', base],
  ['/conditions/all/0', base],
  ['/bringIn/1', [...base, 'ship']],
  ['/values/0', [...base, 'ship', 'guests']],
  ['/actions/0', [...base, 'ship', 'guests', 'seats']],
  ['/actions/2', [...base, 'ship', 'guests', 'seats', 'check']],
  ['/actions/2/actions/0', [...base, 'ship', 'guests', 'seats', 'check', 'guest']],
  ['/actions/3/branches/0/actions/1', [...base, 'ship', 'guests', 'seats', 'check', 'other']],
])('at %s paths can start at %j', (path, wanted) => expect(names(path)).toEqual(wanted))
