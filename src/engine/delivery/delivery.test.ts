import type { ClaimedMessage } from '@/store/mail/claim'
import { hardBounces, outcomeOf } from './outcome'
import { givesUp, isHardBounce, retryDelay, verdict } from './policy'

const message: ClaimedMessage = {
  id: 1,
  attempt: 1,
  tbl: 't',
  rec: 1,
  message_id: '<a@b>',
  sender: { address: 's@x.example', name: null },
  reply_to: null,
  subject: 'S',
  html: '',
  body: '',
  attachments: null,
  priority: 'normal',
  created_at: new Date('2026-01-01T00:00:00Z'),
  recipients: [
    { position: 1, part: 'to', address: 'a@x.example', name: null, state: 'open' },
    { position: 2, part: 'cc', address: 'b@x.example', name: null, state: 'open' },
  ],
}
const soon = new Date('2026-01-01T00:00:01Z')
type Result = 'sent' | 'refused' | 'deferred'
const outcome = (a: Result, b: Result, now = soon, reached = true) =>
  outcomeOf(
    message,
    7,
    { reached, reply: 'r', recipients: [a, b].map((result, i) => ({ position: i + 1, result, reply: result === 'sent' ? '250 ok' : '550 5.1.1 no' })) },
    soon,
    now,
    0.5,
  )

test('30 seconds doubling to an hour, with a fifth of jitter', () => {
  expect([1, 2, 3, 8, 30].map((n) => retryDelay(n, 0.5))).toEqual([30_000, 60_000, 120_000, 3_600_000, 3_600_000])
  expect([retryDelay(1, 0), retryDelay(1, 1)]).toEqual([24_000, 36_000])
})

test('it gives up after a day', () => {
  expect([givesUp(message.created_at, soon), givesUp(message.created_at, new Date('2026-01-02T00:00:00Z'))]).toEqual([false, true])
})

test('5yz is for good, everything else may pass', () => {
  expect([550, 554, 450, 421, undefined, 250].map(verdict)).toEqual(['refused', 'refused', 'deferred', 'deferred', 'deferred', 'deferred'])
})

// Source: RFC 3463 section 3.2 (X.1.XXX, addressing status).
test('only a bad mailbox or address is a hard bounce', () => {
  expect(['550 5.1.1 no such user', '550-5.1.10 null MX', '552 5.2.2 full', '450 4.1.1 later', '550 no'].map(isHardBounce)).toEqual([true, true, false, false, false])
})

test('all accepted: sent', () => expect(outcome('sent', 'sent')).toMatchObject({ state: 'sent', outcome: 'sent', nextAt: null }))

test('one refused, one accepted: failed in part, and never sent again to the one that has it', () => {
  expect(outcome('sent', 'refused')).toMatchObject({ state: 'failed', outcome: 'partly', reply: '550 5.1.1 no', recipients: [{ state: 'sent' }, { state: 'failed' }] })
})

test('one deferred: queued for that one alone', () => {
  expect(outcome('sent', 'deferred')).toMatchObject({ state: 'queued', outcome: 'partly', nextAt: new Date('2026-01-01T00:00:31Z') })
})

test('a lost connection is queued; after a day it is failed', () => {
  expect(outcome('deferred', 'deferred', soon, false)).toMatchObject({ state: 'queued', outcome: 'lost' })
  expect(outcome('deferred', 'deferred', new Date('2026-01-02T00:00:02Z'), false)).toMatchObject({ state: 'failed', nextAt: null })
})

test('hard bounces name their addresses', () => {
  expect(hardBounces(message, { reached: true, reply: '', recipients: [{ position: 2, result: 'refused', reply: '550 5.1.1 no' }] })).toEqual([
    { address: 'b@x.example', reason: '550 5.1.1 no' },
  ])
})
