import type { Change } from '@/core/changes/change'
import { changedFields } from '@/core/changes/change'
import { createEngines } from '@/core/message/render'
import { LoadedLookups } from '@/core/paths/lookups'
import { type Image, type Organisation, PERSON_TABLE, type Schema, type TableDef } from '@/core/values/tables'
import type { Surroundings } from '@/core/workflow/surroundings'
import { CLAIMS, INES, RAFI } from './claims'

export const ORGANISATION: Organisation = { name: 'Office', locale: 'en-GB', zone: 'Europe/London', currency: 'GBP' }

export const SCHEMA: Schema = new Map<string, TableDef>([
  ['person', PERSON_TABLE],
  ['claims', CLAIMS],
])

export const PEOPLE: readonly Image[] = [
  { id: 1, name: 'Ines Okafor', first_name: 'Ines', last_name: 'Okafor', email: INES, team: 'Claims', manager: null, active: true, phone: null },
  { id: 2, name: 'Rafi Demir', first_name: 'Rafi', last_name: 'Demir', email: RAFI, team: 'Quays', manager: 1, active: true, phone: '01' },
  { id: 3, name: 'Gone Soul', first_name: 'Gone', last_name: 'Soul', email: 'gone@office.example', team: 'Claims', manager: null, active: false, phone: null },
]

export const SURROUNDINGS: Surroundings = {
  schema: SCHEMA,
  organisation: ORGANISATION,
  people: new Map(PEOPLE.map((p) => [String(p.email), Number(p.id)])),
  engines: createEngines(ORGANISATION),
  baseUrl: 'http://rappel.example',
  sender: { name: 'Office', address: 'alerts@office.example' },
}

/** Everything that look-ups could ask for in the small world of these tests. */
export function loadedWorld(more: readonly [string, unknown][] = []): Map<string, unknown> {
  const loaded = new Map<string, unknown>(PEOPLE.map((p) => [`record person ${p.id}`, p]))
  loaded.set('group Desk', { people: [PEOPLE[0], PEOPLE[2]], addresses: ['desk@office.example', INES.toUpperCase()] })
  loaded.set('team Claims', [PEOPLE[0], PEOPLE[2]])
  for (const address of [INES, RAFI, 'gone@office.example', 'desk@office.example', 'someone@example.org', 'bounced@example.org'])
    loaded.set(`suppression ${address}`, address.startsWith('bounced'))
  for (const [key, value] of more) loaded.set(key, value)
  return loaded
}

export const lookups = () => new LoadedLookups(loadedWorld())

/** A change of a claim from some values to others. */
export function claimChange(kind: Change['kind'], before: Image | null, after: Image | null, more: Partial<Change> = {}): Change {
  const whole = (image: Image | null) => image && { id: 7, number: 'CL-0007', status: 'New', amount: null, owner: null, contact_email: null, note: null, due: null, ...image }
  const [b, a] = [whole(before), whole(after)]
  return {
    id: 100,
    table: 'claims',
    record: 7,
    kind,
    before: b,
    after: a,
    changed: changedFields(CLAIMS, b, a),
    at: new Date('2026-03-03T07:40:00Z'),
    by: { kind: 'person', person: 2, name: 'Rafi Demir' },
    transaction: '1',
    run: null,
    depth: 0,
    ...more,
  }
}
