import { randomUUID } from 'node:crypto'
import { writeMailServer } from '@/store/access/mail-server'
import { many, one, touch } from '@/store/database'
import { cancelMessage } from '@/store/mail/by-hand'
import { type ClaimedMessage, claimMessages, nextDue } from '@/store/mail/claim'
import { finishAttempts, type Outcome, releaseLost } from '@/store/mail/finish'
import { releaseBehind, releaseForgotten } from '@/store/mail/order'
import { giveBackPace, takePace } from '@/store/mail/pace'
import { type NewMessage, queueMessages } from '@/store/mail/queue'
import { makeClaims, newClaimWorkflow } from '../support/claims'
import { type Engine, goLive, startEngine, until } from '../support/engine'

let engine: Engine
beforeEach(async () => {
  engine = await startEngine()
  await makeClaims(engine.pool)
})
afterEach(() => engine.stop())

const AT = new Date('2026-03-03T12:00:00Z')
const ago = (seconds: number) => new Date(AT.getTime() - seconds * 1_000)

/** A message that was queued before `AT`, about no record unless said otherwise. */
function waiting(subject: string, parts: Partial<NewMessage> & { readonly to?: readonly string[] } = {}): NewMessage {
  const { to = ['a@x.example'], created_at = ago(1), ...more } = parts
  return {
    run: null as never,
    workflow: null as never,
    action: 'a',
    tbl: null,
    rec: null,
    message_id: `<${randomUUID()}@x.example>`,
    sender: { address: 's@x.example', name: null },
    reply_to: null,
    subject,
    html: '',
    body: '',
    priority: 'normal',
    attachments: null,
    changed_at: created_at,
    created_at,
    recipients: to.map((address) => ({ address, name: null, part: 'to' as const })),
    ...more,
  }
}

const subjects = (messages: readonly ClaimedMessage[]) => messages.map((m) => m.subject)
const claim = async (limit = 40) => (await claimMessages(engine.pool, 1, limit, AT)).messages

function ended(message: ClaimedMessage, state: Outcome['state']): Outcome {
  const is = state === 'queued' ? 'open' : state
  return {
    message: message.id,
    attempt: message.attempt,
    worker: 1,
    at: AT,
    milliseconds: 1,
    outcome: state === 'queued' ? 'deferred' : 'sent',
    reply: '',
    state,
    nextAt: state === 'queued' ? ago(-30) : null,
    recipients: message.recipients.map((r) => ({ position: r.position, state: is, reply: '' })),
  }
}

async function end(message: ClaimedMessage, state: Outcome['state'] = 'sent'): Promise<void> {
  await finishAttempts(engine.pool, [ended(message, state)])
  await releaseBehind(engine.pool, [message.id], AT)
}

async function workflows(count: number): Promise<number[]> {
  for (let i = 0; i < count; i++) await goLive(engine, newClaimWorkflow({ name: `W${i}` }))
  return (await many<{ id: number }>(engine.pool, 'select id from rappel.workflow order by id')).map((w) => w.id)
}

test('mail about one record to one recipient goes one after the other, through every way in which one may end', async () => {
  const about = { tbl: 'claims', rec: 7 } as const
  const list = [waiting('1', about), waiting('2', about), waiting('3', about), waiting('4', about)]
  await queueMessages(engine.pool, [...list, waiting('other record', { tbl: 'claims', rec: 8 }), waiting('other person', { ...about, to: ['b@x.example'] })])
  const [first, ...others] = await claim()
  expect([first?.subject, ...subjects(others)]).toEqual(['1', 'other record', 'other person'])
  expect(await claim()).toEqual([])
  await end(first as ClaimedMessage, 'queued')
  expect(await claim()).toEqual([]) // the first waits for its next attempt, and those behind it with it
  await engine.pool.query(`update rappel.message set next_at = $1 where subject = '1'`, [AT])
  const [again] = await claim()
  await end(again as ClaimedMessage)
  const [second] = await claim()
  expect(second?.subject).toBe('2')
  await end(second as ClaimedMessage, 'failed')
  expect(subjects(await claim(1))).toEqual(['3'])
  const { id: fourth } = await one<{ id: number }>(engine.pool, `select id from rappel.message where subject = '4'`)
  await queueMessages(engine.pool, [waiting('5', about)])
  expect(await cancelMessage(engine.pool, fourth, AT)).toBe(true)
  expect(await claim()).toEqual([]) // the third is under way still
  await touch(engine.pool, `update rappel.message set state = 'sent', worker = null where subject = '3'`)
  expect(await releaseForgotten(engine.pool)).toBe(1)
  expect(subjects(await claim())).toEqual(['5'])
})

test('what another stands behind is known to be awaited when it is claimed', async () => {
  const about = { tbl: 'claims', rec: 7 } as const
  await queueMessages(engine.pool, [waiting('1', about), waiting('2', about), waiting('alone', { tbl: 'claims', rec: 8 })])
  const claimed = await claim()
  expect(claimed.map(({ subject, is_awaited }) => [subject, is_awaited])).toEqual([
    ['1', true],
    ['alone', false],
  ])
  await end(claimed[0] as ClaimedMessage)
  expect((await claim()).map(({ subject, is_awaited }) => [subject, is_awaited])).toEqual([['2', false]])
})

test('a message to several stands behind all that go to one of them, one after the other', async () => {
  const about = { tbl: 'claims', rec: 7 } as const
  await queueMessages(engine.pool, [waiting('to a', { ...about, to: ['A@x.example'] }), waiting('to b', { ...about, to: ['b@x.example'] })])
  await queueMessages(engine.pool, [waiting('to both', { ...about, to: ['a@x.example', 'b@x.example'] })])
  const [a, b] = await claim()
  await end(b as ClaimedMessage)
  expect(await claim()).toEqual([])
  await end(a as ClaimedMessage)
  expect(subjects(await claim())).toEqual(['to both'])
})

test('what is urgent goes first, and leaves a quarter to the rest', async () => {
  await queueMessages(
    engine.pool,
    Array.from({ length: 50 }, (_, i) => waiting(`n${i}`)),
  )
  await queueMessages(
    engine.pool,
    Array.from({ length: 50 }, (_, i) => waiting(`h${i}`, { priority: 'high' })),
  )
  const claimed = subjects(await claim())
  expect(claimed.filter((s) => s.startsWith('h'))).toHaveLength(30)
  expect(claimed.filter((s) => s.startsWith('n'))).toHaveLength(10)
})

test('a backlog keeps no fresh mail waiting, and fresh mail no backlog; each workflow has its turn', async () => {
  const [storm, quiet] = await workflows(2)
  const old = Array.from({ length: 500 }, (_, i) => waiting(`old${i}`, { workflow: storm as number, created_at: ago(7_200 - i) }))
  const fresh = Array.from({ length: 100 }, (_, i) => waiting(`fresh${i}`, { workflow: storm as number }))
  await queueMessages(engine.pool, [
    ...old,
    ...fresh,
    waiting('alone', { workflow: quiet as number }),
    waiting('alone and old', { workflow: quiet as number, created_at: ago(600) }),
  ])
  const claimed = subjects(await claim())
  expect(claimed).toHaveLength(40)
  expect(claimed).toEqual(expect.arrayContaining(['alone', 'alone and old', 'old0', 'old18', 'fresh0', 'fresh18']))
  expect(claimed.filter((s) => s.startsWith('old'))).toHaveLength(19)
})

test('more workflows than one claim looks at have their turn in the next', async () => {
  const ids = await workflows(45)
  await queueMessages(
    engine.pool,
    ids.flatMap((workflow) => [waiting(`${workflow}`, { workflow }), waiting(`${workflow}`, { workflow })]),
  )
  const seen = new Set<string>()
  let after = -1
  for (let i = 0; i < 3; i++) {
    const claimed = await claimMessages(engine.pool, 1, 20, AT, after)
    after = claimed.after
    for (const { subject } of claimed.messages) seen.add(subject)
  }
  expect(seen.size).toBe(45)
  let left = 90 - 45
  for (let i = 0; i < 20 && left > 0; i++) {
    const claimed = await claimMessages(engine.pool, 1, 20, AT, after)
    after = claimed.after
    left -= claimed.messages.length
  }
  expect((await many(engine.pool, `select 1 from rappel.message where state = 'queued'`)).length).toBe(0)
})

test('what waited for the server is as old as it is when it goes again, and what is not due yet says when it is', async () => {
  await queueMessages(engine.pool, [waiting('lost', { created_at: ago(3_600) })])
  const [lost] = await claim()
  await finishAttempts(engine.pool, [{ ...ended(lost as ClaimedMessage, 'queued'), outcome: 'lost' }])
  expect(await nextDue(engine.pool, AT)).toEqual(ago(-30))
  expect(await releaseLost(engine.pool, AT)).toBe(1)
  expect(await nextDue(engine.pool, AT)).toBeNull()
  await queueMessages(engine.pool, [waiting('fresh')])
  expect(subjects(await claim(1))).toEqual(['fresh'])
  expect(subjects(await claim(1))).toEqual(['lost'])
})

test('a server’s rate is kept by all who deliver together; what is not used is given back', async () => {
  expect(await takePace(engine.pool, 'a', 60, 5)).toBe(0) // made now: its first seconds begin with nothing
  await engine.pool.query(`update rappel.mail_pace set used_until = clock_timestamp() - interval '1 hour'`)
  const given = await Promise.all([takePace(engine.pool, 'a', 600, 15), takePace(engine.pool, 'a', 600, 15)])
  expect(given.reduce((sum, n) => sum + n, 0)).toBe(20) // two seconds of ten a second, however long nothing went
  await giveBackPace(engine.pool, 'a', 600, 5)
  expect(await takePace(engine.pool, 'a', 600, 15)).toBeGreaterThanOrEqual(5)
})

test('mail to one server is no faster than it takes, whoever delivers', async () => {
  const { smtpPort: port } = engine.room
  await writeMailServer(engine.pool, { host: '127.0.0.1', port, security: 'none', user: null, dkim: null, perMinute: 600 }, { password: null, dkimKey: null })
  await queueMessages(
    engine.pool,
    Array.from({ length: 50 }, (_, i) => waiting(`${i}`, { created_at: new Date() })),
  )
  const began = Date.now()
  await Promise.all([engine.startWorker(['mail']), engine.startWorker(['mail'])])
  await until('all of it', () => engine.room.store.list({ limit: 100 }).length === 50)
  expect(Date.now() - began).toBeGreaterThan(2_500) // two seconds' worth at once, thirty more at ten a second
})
