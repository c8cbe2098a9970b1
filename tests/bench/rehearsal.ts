import { readSurroundings } from '@/engine/program'
import { rehearse } from '@/engine/rehearsal/rehearse'
import { one } from '@/store/database'
import { makeClaims, newClaimWorkflow } from '../support/claims'
import { freshDatabase } from '../support/database'
import { BASE_URL } from '../support/engine'
import { median, report, time } from './measure'

const CHANGES = 1_000_000

/** A rehearsal over a million recorded changes, of which one in a hundred fires, against SQL written by hand that only counts the firings; the process's memory besides. */
export async function benchRehearsal(): Promise<void> {
  const { pool, drop } = await freshDatabase()
  const { ines } = await makeClaims(pool)
  await pool.query(`insert into rappel.actor (key, by) values ('bench', '{"kind":"system","person":null,"name":"bench"}')`)
  await pool.query(
    `insert into rappel_log.claims (rec, kind, mask, b_status, a_number, a_status, a_amount, a_owner, a_note, a_due, at, xid, actor, depth)
     select g, 'changed', (select 1 << bit from rappel.log_column where tbl = 'claims' and field = 'status'), 'New', 'CL-' || g,
            case when g % 10 = 0 then 'Settled' else 'In review' end, g % 1000, $1::bigint, case when g % 2 = 0 then 'seen' end, '2026-12-01',
            now() - (g::bigint * 2500000 / $2 ) * interval '1 second', (1000000 + g)::text::xid8, (select id from rappel.actor where key = 'bench'), 0
       from generate_series(1, $2::int) g`,
    [ines, CHANGES],
  )
  await pool.query('vacuum analyze rappel_log.claims')
  const workflow = newClaimWorkflow({
    cue: { kind: 'record', on: ['changed'] },
    conditions: {
      all: [
        { field: 'status', op: 'is', value: 'Settled' },
        { field: 'amount', op: 'at least', value: 900 },
        { field: 'note', op: 'is filled' },
        { field: 'due', op: 'is filled' },
      ],
    },
  })
  const surroundings = await readSurroundings(pool, BASE_URL)
  const span = { from: new Date(Date.now() - 30 * 86_400_000), to: new Date() }
  const byHand = `select count(*) as n from rappel_log.claims where at >= $1 and at < $2 and kind = 'changed'
      and a_status = 'Settled' and a_amount >= 900 and a_note <> '' and a_due is not null and not (coalesce(b_status, a_status) = 'Settled')`
  const hand: number[] = []
  const whole: number[] = []
  let firings = 0
  for (let turn = 0; turn < 5; turn++) {
    let expected = 0
    hand.push(
      await time(async () => {
        expected = Number((await one<{ n: number }>(pool, byHand, [span.from, span.to])).n)
      }),
    )
    whole.push(
      await time(async () => {
        firings = (await rehearse(pool, workflow, [], surroundings, { span, samples: 5, live: null })).firings
      }),
    )
    if (firings !== expected) throw new Error(`The rehearsal found ${firings} firings, SQL by hand ${expected}.`)
  }
  await drop()
  const [h, w] = [median(hand), median(whole)]
  const memory = process.memoryUsage().rss / 1e6
  report(
    'a rehearsal of 1,000,000 changes, one in a hundred firing, beyond 1.5 times SQL that only counts them',
    `${((w - 1.5 * h) / 1000).toFixed(2)} s (${Math.round(w)} to ${Math.round(h)} ms, ${firings} firings)`,
    'at most 1 s',
    w <= 1.5 * h + 1_000,
  )
  report('memory of the process that rehearsed', `${Math.round(memory)} MB`, 'under 500 MB', memory < 500)
}
