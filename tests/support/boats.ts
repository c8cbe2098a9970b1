import type { Pool } from 'pg'
import type { Workflow } from '@/core/document/document'
import type { TableDef } from '@/core/values/tables'
import { putPerson } from '@/store/people'
import { putTable } from '@/store/tables'

const field = (name: string, type: TableDef['fields'][number]['type'], more: object = {}) => ({ name, label: name, type, ...more })

/** Boats, trips on them, and who booked: links, lists and follow-ups. */
export const BOAT_TABLES: readonly TableDef[] = [
  {
    name: 'boats',
    label: 'Boats',
    singular: 'boat',
    titleField: 'name',
    ownerField: 'keeper',
    fields: [field('name', 'text'), field('keeper', 'person'), field('state', 'choice', { choices: ['In use', 'Laid up'], default: 'In use' })],
  },
  {
    name: 'trips',
    label: 'Trips',
    singular: 'trip',
    titleField: 'number',
    fields: [
      field('number', 'text', { number: 'TR-{00}' }),
      field('boat', 'link', { table: 'boats' }),
      field('state', 'choice', { choices: ['Planned', 'Cancelled'], default: 'Planned' }),
      field('told', 'number', { default: 0 }),
      field('told_on', 'date'),
    ],
  },
  {
    name: 'bookings',
    label: 'Bookings',
    singular: 'booking',
    titleField: 'name',
    fields: [field('name', 'text'), field('trip', 'link', { table: 'trips' }), field('email', 'email'), field('seats', 'number', { default: 1 })],
  },
  {
    name: 'tasks',
    label: 'Tasks',
    singular: 'task',
    titleField: 'subject',
    ownerField: 'owner',
    fields: [field('subject', 'text'), field('owner', 'person'), field('due', 'date'), field('note', 'long text'), field('trip', 'link', { table: 'trips' })],
  },
  {
    name: 'checks',
    label: 'Checks',
    singular: 'check',
    titleField: 'number',
    fields: [field('number', 'text', { number: 'CK-{000}' }), field('boat', 'link', { table: 'boats' }), field('inspector', 'person'), field('due', 'date')],
  },
]

export const KEEPER = 'keeper@boats.example'

/** Makes the tables, a keeper, a boat, a trip and three bookings, one of them without address. */
export async function makeBoats(pool: Pool): Promise<{ keeper: number; boat: number; trip: number }> {
  const { id: keeper } = await putPerson(pool, KEEPER, { name: 'Kit Keeper', first_name: 'Kit', last_name: 'Keeper' })
  for (const table of BOAT_TABLES) await putTable(pool, table)
  await pool.query(`insert into data.boats (id, name, keeper) values (1, 'Gull', $1)`, [keeper])
  await pool.query(`insert into data.trips (id, number, boat) values (1, 'TR-01', 1)`)
  await pool.query(`insert into data.bookings (name, trip, email, seats) values ('Ana', 1, 'ana@x.example', 2), ('Bo', 1, null, 1), ('Cy', 1, 'cy@x.example', 4)`)
  return { keeper, boat: 1, trip: 1 }
}

/** A workflow on trips that become cancelled. */
export function tripWorkflow(parts: Partial<Workflow>): Workflow {
  return {
    rappel: 'workflow/1',
    name: 'Cancelled trip',
    table: 'trips',
    cue: { kind: 'record', on: ['changed'] },
    conditions: { all: [{ field: 'state', op: 'is', value: 'Cancelled' }] },
    actions: [],
    ...parts,
  }
}
