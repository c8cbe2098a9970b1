import { must } from '@/core/must'
import { compileWorkflow } from '@/core/workflow/evaluate'
import { readSurroundings } from '@/engine/program'
import { rehearse } from '@/engine/rehearsal/rehearse'
import { explainChange } from '@/engine/why'
import { setPassword } from '@/store/access/sessions'
import { countPassedBy } from '@/store/catch-up'
import { latestChanges, listChanges, readBareChange } from '@/store/changes'
import { many } from '@/store/database'
import { putPerson } from '@/store/people'
import { putTable, readSchema } from '@/store/tables'
import { pauseWorkflow, versionAt } from '@/store/workflows'
import { KEEPER, makeBoats, tripWorkflow } from '../support/boats'
import { freshDatabase } from '../support/database'
import { BASE_URL, goLive } from '../support/engine'

let db: Awaited<ReturnType<typeof freshDatabase>>
beforeEach(async () => {
  db = await freshDatabase()
  await makeBoats(db.pool)
})
afterEach(() => db.drop())

const workflow = tripWorkflow({
  conditions: {
    all: [
      { field: 'state', op: 'is', value: 'Cancelled' },
      { field: 'boat.name', op: 'is', value: 'Gull' },
    ],
  },
  bringIn: [{ name: 'guests', list: 'bookings.trip', where: { field: 'seats', op: 'at least', value: 2 }, order: '-seats' }],
  actions: [
    {
      name: 'tell',
      do: 'email',
      to: [{ list: 'guests', field: 'email' }],
      delivery: 'together',
      subject: '{{ trip.boat }}: {{ guests.size }}',
      body: '{% for g in guests %}{{ g.name }} {% endfor %}',
    },
  ],
})

test('a past change is explained with links and lists as they stood, whatever became of them since', async () => {
  const { pool } = db
  await pool.query(`update data.trips set state = 'Cancelled' where id = 1`)
  const [change] = await latestChanges(pool, await readSchema(pool), 'trips', 1, 1)
  await pool.query(`insert into data.boats (id, name) values (2, 'Tern')`)
  await pool.query(`update data.trips set boat = 2 where id = 1`)
  await pool.query(`update data.boats set name = 'Gull II' where id = 1`)
  await pool.query(`delete from data.bookings where name = 'Cy'`)
  await pool.query(`update data.bookings set seats = 9, email = 'other@x.example' where name = 'Ana'`)
  await pool.query(`insert into data.bookings (name, trip, email, seats) values ('Late', 1, 'late@x.example', 5)`)
  const surroundings = await readSurroundings(pool, BASE_URL)
  const settled = await explainChange(pool, workflow, change as NonNullable<typeof change>, surroundings)
  expect(settled).toMatchObject({
    plan: {
      fires: true,
      clauses: [
        { field: 'state', before: 'Planned', after: 'Cancelled', holds: true },
        { field: 'boat.name', after: 'Gull', holds: true },
      ],
      messages: [{ subject: 'Gull: 2', text: 'Cy Ana ', to: [{ address: 'cy@x.example' }, { address: 'ana@x.example' }] }],
    },
  })
  expect(compileWorkflow(workflow, surroundings).table.name).toBe('trips')
})

test('the version that a change belongs to is known, and how many passed a paused workflow by', async () => {
  const { pool } = db
  const schema = await readSchema(pool)
  const touch = async (told: number) => {
    await pool.query('update data.trips set told = $1 where id = 1', [told])
    return (await latestChanges(pool, schema, 'trips', 1, 1))[0]?.id as number
  }
  const before = await touch(1)
  await goLive(db, workflow)
  const during = await touch(2)
  await pauseWorkflow(pool, workflow.name)
  const after = await touch(3)
  const state = async (change: number) => (await versionAt(pool, 1, must(await readBareChange(pool, change))))?.state ?? null
  expect([await state(before), await state(during), await state(after)]).toEqual([null, 'live', 'paused'])
  expect(await countPassedBy(pool)).toEqual(new Map([['Cancelled trip', 1]]))
})

test('people and teams are seen as they were then, whatever they became', async () => {
  const { pool } = db
  await putPerson(pool, 'crew@boats.example', { name: 'Cara Crew', team: 'Deck' })
  await pool.query(`update data.trips set state = 'Cancelled' where id = 1`)
  const [change] = await latestChanges(pool, await readSchema(pool), 'trips', 1, 1)
  await pool.query(`update rappel.person set name = 'Kit Renamed', email = 'renamed@boats.example', active = false where email = $1`, [KEEPER])
  await putPerson(pool, 'crew@boats.example', { team: 'Ashore' })
  await putPerson(pool, 'late@boats.example', { name: 'Late Crew', team: 'Deck' })
  const told = tripWorkflow({ actions: [{ name: 'tell', do: 'email', to: [{ field: 'boat.keeper' }, { team: 'Deck' }], subject: '{{ trip.boat.keeper }}', body: 'B' }] })
  const settled = await explainChange(pool, told, change as NonNullable<typeof change>, await readSurroundings(pool, BASE_URL))
  expect(settled).toMatchObject({ plan: { messages: [{ subject: 'Kit Keeper', to: [{ address: KEEPER }, { address: 'crew@boats.example' }] }], notes: [] } })
})

test('a person’s changes are kept without what signing in needs, and are not among the records’ changes', async () => {
  const { pool } = db
  await setPassword(pool, 1, 'secret word')
  await putPerson(pool, KEEPER, { role: 'editor' })
  await putPerson(pool, KEEPER, { phone: '12' })
  const rows = await many<{ kind: string; changed: string[]; image: object }>(
    pool,
    `select kind, changed, coalesce(after, before) as image from rappel.change where tbl = 'person' and rec = '1' order by id`,
  )
  expect(rows.map((r) => [r.kind, r.changed])).toEqual([
    ['created', expect.arrayContaining(['name', 'email', 'active'])],
    ['changed', ['phone']],
  ])
  for (const { image } of rows) expect(Object.keys(image)).not.toEqual(expect.arrayContaining(['password_hash']))
  expect(JSON.stringify(rows)).not.toContain('argon2')
  const { changes: listed } = await listChanges(pool, await readSchema(pool), { limit: 1_000 })
  expect(listed.filter((c) => c.table === 'person')).toEqual([])
})

test('a field that came later is said to have been missing, where a workflow speaks of it', async () => {
  const { pool } = db
  await pool.query(`update data.trips set state = 'Cancelled' where id = 1`)
  const [before] = await latestChanges(pool, await readSchema(pool), 'trips', 1, 1)
  const trips = (await readSchema(pool)).get('trips')
  await putTable(pool, { ...(trips as NonNullable<typeof trips>), fields: [...(trips?.fields ?? []), { name: 'tide', label: 'Tide', type: 'text' }] })
  await pool.query(`update data.trips set tide = 'low', state = 'Planned' where id = 1`)
  await pool.query(`update data.trips set state = 'Cancelled' where id = 1`)
  const [after] = await latestChanges(pool, await readSchema(pool), 'trips', 1, 1)
  const surroundings = await readSurroundings(pool, BASE_URL)
  const speaking = tripWorkflow({ conditions: { all: [{ field: 'tide', op: 'is', value: 'low' }] } })
  const why = async (about: typeof workflow, change: typeof before) => {
    const settled = await explainChange(pool, about, change as NonNullable<typeof change>, surroundings)
    return 'plan' in settled ? settled.plan.why : settled.fault
  }
  expect(await why(speaking, before)).toContain('Tide was not there yet, so it counts as blank.')
  expect(await why(speaking, after)).not.toContain('Tide was not there')
  expect(await why(workflow, before)).not.toContain('Tide')
  const span = { from: new Date(Date.now() - 3_600_000), to: new Date(Date.now() + 60_000) }
  const rehearsed = async (about: typeof workflow) => (await rehearse(pool, about, [], surroundings, { span, samples: 1, live: null })).late.map((l) => l.label)
  expect([await rehearsed(speaking), await rehearsed(workflow)]).toEqual([['Tide'], []])
})
