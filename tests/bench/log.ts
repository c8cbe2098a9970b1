import { readSurroundings } from '@/engine/program'
import { explainChange } from '@/engine/why'
import { readChange } from '@/store/changes'
import { many, one } from '@/store/database'
import { listRuns, type RunsQuery } from '@/store/runs'
import { saveDraft } from '@/store/workflows'
import { makeBoats, tripWorkflow } from '../support/boats'
import { freshDatabase } from '../support/database'
import { BASE_URL } from '../support/engine'
import { median, report, time } from './measure'

const RUNS = 1_000_000

/** The first page of a million runs, by every filter; and why one change among as many recorded ones fired a workflow or not. */
export async function benchLog(): Promise<void> {
  const { pool, drop } = await freshDatabase()
  await makeBoats(pool)
  for (let i = 0; i < 20; i++) await saveDraft(pool, `W ${i}`, tripWorkflow({ name: `W ${i}` }), null)
  await pool.query(`insert into rappel.actor (key, by) values ('bench', '{"kind":"system","person":null,"name":"bench"}')`)
  await pool.query(
    `insert into rappel_log.trips (rec, kind, mask, b_state, a_number, a_boat, a_state, a_told, at, xid, actor, depth)
     select 1 + g % 50000, 'changed', (select 1 << bit from rappel.log_column where tbl = 'trips' and field = 'state'), 'Planned', 'TR-' || g % 50000, 1, 'Cancelled', g % 9,
            now() - ($1 - g) * interval '3 seconds', (1000000 + g)::text::xid8, (select id from rappel.actor where key = 'bench'), 0
       from generate_series(1, $1::int) g`,
    [RUNS],
  )
  await pool.query(
    `insert into rappel.run (workflow, version, key, change_id, tbl, rec, title, state, why, error, trace, chain, depth, changed_at, at)
     select (select min(id) from rappel.workflow) + g % 20, 1, g::text, g, 'trips', 1 + g % 50000, 'TR-' || g % 50000, case when g % 1000 = 0 then 'failed' else 'done' end, 'W',
            case when g % 1000 = 0 then 'It failed.' end, '{}', '[]', 0, now() - ($1 - g) * interval '3 seconds', now() - ($1 - g) * interval '3 seconds'
       from generate_series(1, $1::int) g`,
    [RUNS],
  )
  await pool.query(
    `with m as (
       insert into rappel.message (run, workflow, action, tbl, rec, message_id, sender, subject, html, body, priority, state, next_at, changed_at, created_at, finished_at)
       select r.id, r.workflow, 'tell', 'trips', r.rec, 'm' || r.id || '@bench', '{"name":null,"address":"a@x.example"}', 'S', 'H', 'B', 'normal', 'sent', r.at, r.at, r.at, r.at
         from rappel.run r where r.id % 4 = 0 returning id)
     insert into rappel.message_recipient (message, part, position, address, state) select id, 'to', 0, 'p' || id % 5000 || '@x.example', 'sent' from m`,
  )
  await pool.query('vacuum analyze rappel.run, rappel.message, rappel.message_recipient, rappel_log.trips')
  const { day } = await one<{ day: string }>(pool, `select (now() - interval '10 days')::date::text as day`)
  const asked: Record<string, Partial<RunsQuery>> = {
    'all of them': {},
    'of one workflow': { workflow: 'W 7' },
    failed: { state: 'failed' },
    'failed of one workflow': { state: 'failed', workflow: 'W 0' },
    'about one record': { table: 'trips', record: 77 },
    'of one day': { day, zone: 'Europe/London' },
    'that wrote to one person': { to: 'p77@x.example' },
    'that wrote to nobody': { to: 'nobody@x.example' },
  }
  let slowest = { name: '', ms: 0 }
  for (const [name, query] of Object.entries(asked)) {
    const took: number[] = []
    for (let i = 0; i < 5; i++) took.push(await time(() => listRuns(pool, { ...query, limit: 100 })))
    const ms = median(took)
    if (ms > slowest.ms) slowest = { name, ms }
  }
  report('the first page of 1,000,000 runs, by whichever filter takes longest', `${slowest.ms.toFixed(0)} ms (${slowest.name})`, 'at most 200 ms', slowest.ms <= 200)

  const surroundings = await readSurroundings(pool, BASE_URL)
  const workflow = tripWorkflow({
    conditions: {
      all: [
        { field: 'state', op: 'is', value: 'Cancelled' },
        { field: 'boat.name', op: 'is', value: 'Gull' },
      ],
    },
    bringIn: [{ name: 'guests', list: 'bookings.trip', order: 'name' }],
    actions: [{ name: 'tell', do: 'email', to: [{ list: 'guests', field: 'email' }, { field: 'boat.keeper' }], subject: '{{ trip.number }}', body: '{{ guests.size }}' }],
  })
  const ids = await many<{ id: number }>(pool, 'select id from rappel.change where id % 97000 = 0')
  const took: number[] = []
  for (const { id } of ids)
    took.push(
      await time(async () => {
        const change = await readChange(pool, surroundings.schema, id)
        if (change) await explainChange(pool, workflow, change, surroundings)
      }),
    )
  report(
    'why for one change among 1,000,000, with a link and a list as they stood',
    `${median(took).toFixed(0)} ms (at most ${Math.max(...took).toFixed(0)})`,
    'at most 100 ms',
    median(took) <= 100,
  )
  await drop()
}
