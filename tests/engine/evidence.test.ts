import type { Workflow } from '@/core/document/document'
import { review } from '@/core/review/review'
import { gatherEvidence } from '@/engine/evidence'
import { readReviewSetting, readSurroundings } from '@/engine/program'
import { many } from '@/store/database'
import { INES, makeClaims, newClaimWorkflow } from '../support/claims'
import { freshDatabase } from '../support/database'
import { BASE_URL } from '../support/engine'

let db: Awaited<ReturnType<typeof freshDatabase>>
let people: { ines: number; rafi: number }
beforeEach(async () => {
  db = await freshDatabase()
  people = await makeClaims(db.pool)
  await db.pool.query(`insert into data.claims (amount, owner) select g * 10, $1 from generate_series(1, 20) g`, [people.ines])
  await db.pool.query(`update data.claims set status = 'Settled' where amount > 150`)
})
afterEach(() => db.drop())

async function evidence(parts: Partial<Workflow>, sample: number | null = null, newest?: number) {
  const workflow = newClaimWorkflow(parts)
  const findings = review(workflow, await readReviewSetting(db.pool))
  return gatherEvidence(db.pool, workflow, findings, await readSurroundings(db.pool, BASE_URL), sample, { newest })
}

const twoClauses: Partial<Workflow> = {
  cue: { kind: 'record', on: ['created', 'changed'] },
  conditions: {
    all: [
      { field: 'amount', op: 'at least', value: 100 },
      { field: 'status', op: 'is', value: 'Settled' },
    ],
  },
}

test('it counts the changes alive at each line and shows one of them in full', async () => {
  const found = await evidence(twoClauses)
  expect(found).toMatchObject({ changes: 25, cued: 25, firings: 5, alive: { '/conditions/all/0': 16, '/conditions/all/1': 5 } })
  expect(found.plan).toMatchObject({ fires: true, messages: [{ subject: expect.stringMatching(/^Claim CL-00\d\d$/) }] })
  expect(found.samples[0]).toMatchObject({ fires: true, kind: 'changed' })
  expect(found.samples.at(-1)?.fires).toBe(false)
})

test('where there are many, the newest answer first, and say that they are a part', async () => {
  const { from } = (await many<{ from: Date }>(db.pool, `select max(at) as from from rappel_log.claims`))[0] ?? {}
  expect(await evidence(twoClauses, null, 3)).toMatchObject({ changes: 5, firings: 5, since: from, alive: { '/conditions/all/0': 5, '/conditions/all/1': 5 } })
  const whole = await evidence(twoClauses, null, 1_000)
  expect(whole).toMatchObject({ changes: 25, firings: 5 })
  expect(whole.since).toBeUndefined()
})

test('a chosen change is shown, also one that does not fire', async () => {
  const [first] = await many<{ id: number }>(db.pool, `select id from rappel.change where tbl = 'claims' order by id limit 1`)
  expect(await evidence(twoClauses, first?.id)).toMatchObject({ sample: first?.id, plan: { fires: false } })
})

test('parts with errors hold nothing back and are left out', async () => {
  const found = await evidence({
    ...twoClauses,
    conditions: {
      all: [
        { field: 'shoe', op: 'is', value: 1 },
        { field: 'amount', op: 'at least', value: 200 },
      ],
    },
    actions: [{ name: 'broken', do: 'email', to: [], subject: '', body: '' }],
  })
  expect(found).toMatchObject({ firings: 1, plan: { messages: [] } })
})

test('nothing is written, sent or reserved', async () => {
  const before = await many(db.pool, `select last_value from data.claims_id_seq union all select last_value from data.claims_number_number`)
  await evidence({
    ...twoClauses,
    actions: [
      { name: 'copy', do: 'create', table: 'claims', set: { status: 'New' } },
      { name: 'mark', do: 'update', set: { note: 'seen' } },
      { name: 'tell', do: 'email', to: [{ field: 'owner' }], subject: '{{ copy.number }}', body: 'B' },
    ],
  })
  expect(await many(db.pool, `select last_value from data.claims_id_seq union all select last_value from data.claims_number_number`)).toEqual(before)
  expect(await many(db.pool, `select 1 from rappel.message union all select 1 from rappel.run union all select 1 from data.claims where note = 'seen'`)).toEqual([])
})

test('it tells the two ways to fire apart on the past, and what would come of a change that does not fire', async () => {
  await db.pool.query(`update data.claims set note = 'again' where amount > 190`)
  const [last] = await many<{ id: number }>(db.pool, `select max(id) as id from rappel.change where tbl = 'claims'`)
  const found = await evidence({ ...twoClauses, values: [{ name: 'double', formula: 'amount * 2' }] }, last?.id)
  expect(found).toMatchObject({ firings: 5, heldBefore: { count: 1, example: expect.stringMatching(/^CL-/) }, plan: { fires: false, messages: [] } })
  expect(found.preview).toMatchObject({
    fires: true,
    messages: [{ to: [{ address: INES, path: '/actions/0/to/0' }] }],
    held: [{ path: '/values/0', name: 'double', kind: 'value', shown: ['400'] }],
  })
})

test('placeholders come with their value for the sample and how often they were blank', async () => {
  const found = await evidence(twoClauses)
  const of = (path: string) => found.placeholders.find((p) => p.path === path)
  expect(of('status')).toEqual({ path: 'status', value: 'Settled', blank: 0 })
  expect(of('note')).toEqual({ path: 'note', value: '', blank: 1 })
  expect(of('owner')).toMatchObject({ value: 'Ines Okafor', blank: 0 })
  expect(of('owner.phone')).toMatchObject({ value: '', blank: 1 })
  expect(of('amount')?.value).toMatch(/^£\d+\.00$/)
})
