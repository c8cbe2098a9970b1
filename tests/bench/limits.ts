import type { Pool } from 'pg'
import type { Limits } from '@/core/document/document'
import { Dispatcher } from '@/engine/dispatch'
import { Held } from '@/engine/limits/held'
import { busyShards } from '@/store/changes'
import { one } from '@/store/database'
import { claimMessages } from '@/store/mail/claim'
import { makeClaims, newClaimWorkflow } from '../support/claims'
import { freshDatabase } from '../support/database'
import { BASE_URL, goLive } from '../support/engine'
import { median, report, time } from './measure'

const LIVE = 50
const CHANGES = 4_000
const ENTRIES = 100_000
const PEOPLE = 1_000
const HELD = 1_000_000
const POLLS = 30

const LIMITS: Limits = { spacing: { per: 'record', every: 'PT1H' }, quietHours: { from: '03:00', to: '03:01' }, perDay: 1_000_000 }

/** Fifty workflows, of which each change fires one; how many changes a second a turn handles. */
async function matched(pool: Pool, owner: number, limits: Limits | undefined): Promise<() => Promise<number>> {
  for (let i = 0; i < LIVE; i++)
    await goLive(
      { pool },
      newClaimWorkflow({
        name: `W${i}`,
        conditions: { all: [{ field: 'amount', op: 'is', value: i }] },
        actions: [{ name: 'tell', do: 'email', to: [{ field: 'owner' }], subject: '{{ claim.number }}', body: 'B {{ claim.status }}', format: 'plain' }],
        ...(limits ? { limits } : {}),
      }),
    )
  const dispatcher = new Dispatcher(pool, BASE_URL, () => new Date())
  return async () => {
    await pool.query(`insert into data.claims (status, amount, owner) select 'New', g % ${LIVE}, $1 from generate_series(1, ${CHANGES}) g`, [owner])
    return CHANGES / ((await time(() => drain(pool, dispatcher))) / 1_000)
  }
}

async function drain(pool: Pool, dispatcher: Dispatcher): Promise<void> {
  for (let busy = await busyShards(pool); busy.length; busy = await busyShards(pool)) await dispatcher.handleShards(busy)
}

/** What limits cost the matched path, turn by turn against the same workflows without any. */
async function cost(): Promise<void> {
  const [free, limited] = [await freshDatabase(), await freshDatabase()]
  const turns = {
    free: await matched(free.pool, (await makeClaims(free.pool)).ines, undefined),
    limited: await matched(limited.pool, (await makeClaims(limited.pool)).ines, LIMITS),
  }
  const shares: number[] = []
  for (let round = 0; round < 9; round++) {
    const base = await turns.free()
    const own = await turns.limited()
    if (round > 0) shares.push(own / base) // the first is warming up
  }
  const share = median(shares)
  report(`matched path with limits on ${LIVE} workflows, share of without`, share.toFixed(2), 'at least 0.9', share >= 0.9)
  await free.drop()
  await limited.drop()
}

/** Messages that are held, many to a recipient. */
async function fill(pool: Pool, count: number, people: number, workflow: string, until: Date, reason: 'digest' | 'quiet'): Promise<void> {
  const row = JSON.stringify({
    title: 'CL-1',
    link: `${BASE_URL}/records/claims/1`,
    why: `${BASE_URL}/why/x`,
    noun: ['claim', 'claims'],
    columns: [{ label: 'what changed', value: 'status: New → Settled' }],
    at: until.toISOString(),
  })
  await pool.query(
    `with made as (
       insert into rappel.message (workflow, action, tbl, rec, message_id, sender, subject, html, body, changed_at, created_at, next_at, state, held_for, held_until, digest_row)
       select (select id from rappel.workflow where name = $1), 'tell', 'claims', to_jsonb(g), '<' || $1 || g || '@x>', '{"address":"a@x.example","name":"A"}', 'S', '', 'B', $2::timestamptz - g * interval '1 millisecond', now(), now(), 'held', $3, $2, $4
         from generate_series(1, $5::int) g returning id, (rec#>>'{}')::int as g)
     insert into rappel.message_recipient (message, position, part, address, name) select id, 1, 'to', 'p' || g % $6::int || '@x.example', 'P' from made`,
    [workflow, until, reason, row, count, people],
  )
  await pool.query('vacuum analyze rappel.message, rappel.message_recipient')
}

/** Entries that become digests, against as many changes that become single mails. */
async function digests(): Promise<void> {
  const { pool, drop } = await freshDatabase()
  const { ines } = await makeClaims(pool)
  const turn = await matched(pool, ines, undefined)
  await turn()
  const plain = median([await turn(), await turn(), await turn()])
  const now = new Date()
  await fill(pool, ENTRIES, PEOPLE, 'W0', now, 'digest')
  const held = new Held(pool, new Dispatcher(pool, BASE_URL, () => now), () => now)
  const spent = await time(async () => {
    while ((await held.handle()) > 0);
  })
  const { made } = await one<{ made: number }>(pool, `select count(*)::int as made from rappel.message where action = 'digest'`)
  if (made !== PEOPLE) throw new Error(`${made} digests were made.`)
  const rate = ENTRIES / (spent / 1_000)
  report(`${ENTRIES} entries become ${PEOPLE} digests`, `${Math.round(rate)} entries/s, ${Math.round(PEOPLE / (spent / 1_000))} digests/s`, '', true)
  report('the same, entries as times of plain mail', (rate / plain).toFixed(1), 'at least 1', rate >= plain)
  await drop()
}

/** What a million held rows cost: a look for what is due, and taking mail off the queue; half of them are due, of a workflow that is paused. */
async function million(): Promise<void> {
  const { pool, drop } = await freshDatabase()
  const { ines } = await makeClaims(pool)
  const turn = await matched(pool, ines, undefined)
  const held = new Held(pool, new Dispatcher(pool, BASE_URL, () => new Date()), () => new Date())
  const poll = async () => {
    const polls: number[] = []
    for (let i = 0; i < POLLS; i++)
      polls.push(
        await time(async () => {
          await held.next()
          await held.handle()
        }),
      )
    return median(polls)
  }
  const claim = () =>
    time(async () => {
      while ((await claimMessages(pool, 1, 500, new Date())).messages.length > 0);
    })
  const once = async () => ({ turn: await turn(), claim: await claim() })
  await once()
  const before = [await once(), await once(), await once()]
  const idle = await poll()
  await fill(pool, HELD / 2, 1_000, 'W1', new Date(Date.now() - 1_000), 'digest')
  await fill(pool, HELD / 2, 1_000, 'W2', new Date(Date.now() + 86_400_000), 'quiet')
  await pool.query(`update rappel.workflow set state = 'paused' where name = 'W1'`)
  const after = [await once(), await once(), await once()]
  const full = await poll()
  const share = (pick: (x: { turn: number; claim: number }) => number) => median(after.map(pick)) / median(before.map(pick))
  report(`a look for what is due, with ${HELD} held rows`, `${full.toFixed(1)} ms, without ${idle.toFixed(1)}`, 'under 10 ms', full < 10)
  report('matched path with them, share of without', share((x) => x.turn).toFixed(2), 'at least 0.9', share((x) => x.turn) >= 0.9)
  report('taking mail off the queue with them, times of without', share((x) => x.claim).toFixed(2), 'at most 1.2', share((x) => x.claim) <= 1.2)
  await drop()
}

/** What limits cost. */
export async function benchLimits(): Promise<void> {
  if (process.env.ONLY !== 'x') await cost()
  await digests()
  await million()
}
