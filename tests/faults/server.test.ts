import type { AddressInfo } from 'node:net'
import { SMTPServer } from 'smtp-server'
import { type SendResult, send } from '@/engine/delivery/send'
import { createTransport } from '@/engine/delivery/server'
import { many, one } from '@/store/database'
import { listMessages } from '@/store/messages'
import { makeClaims, newClaimWorkflow } from '../support/claims'
import { claimedMessage } from '../support/delivery'
import { type Engine, goLive, startEngine, until } from '../support/engine'

let engine: Engine
beforeEach(async () => {
  engine = await startEngine()
})
afterEach(() => engine.stop())

const message = (addresses: readonly string[]) =>
  claimedMessage({
    message_id: '<1@x.example>',
    created_at: new Date(),
    recipients: addresses.map((address, position) => ({ position, part: 'bcc' as const, address, name: null, state: 'open' as const })),
  })

async function sendTo(addresses: readonly string[], patienceMs?: number): Promise<SendResult> {
  const transport = createTransport(`smtp://127.0.0.1:${engine.room.smtpPort}`, 1, patienceMs)
  try {
    return await send(transport, message(addresses))
  } finally {
    transport.close()
  }
}

// Source: RFC 5321 section 4.2.1 (4yz may pass, 5yz will not) and RFC 3463 for the enhanced codes.
test.each([
  [450, 'deferred'],
  [451, 'deferred'],
  [452, 'deferred'],
  [550, 'refused'],
  [552, 'refused'],
  [554, 'refused'],
])('a refusal with %i is %s, and only for the address refused', async (code, result) => {
  engine.room.faults = { refuse: { 'b@x.example': code } }
  const { recipients, reached } = await sendTo(['a@x.example', 'b@x.example'])
  expect(reached).toBe(true)
  expect(recipients.map((r) => r.result)).toEqual(['sent', result])
  expect(recipients[1]?.reply).toContain(String(code))
})

/** A server that refuses whoever comes, at one stage of the session. */
async function refusing(stage: 'onConnect' | 'onAuth' | 'onMailFrom', code: number): Promise<{ port: number; close: () => Promise<void> }> {
  const error = Object.assign(new Error('5.7.1 not you'), { responseCode: code })
  const refuse = (...args: unknown[]) => (args.at(-1) as (error: Error) => void)(error)
  const server = new SMTPServer({ authOptional: stage !== 'onAuth', allowInsecureAuth: true, disabledCommands: ['STARTTLS'], logger: false, [stage]: refuse })
  server.on('error', () => undefined)
  await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve))
  return { port: (server.server.address() as AddressInfo).port, close: () => new Promise((resolve) => server.close(() => resolve())) }
}

// Source: RFC 5321 section 3.1 (a server may refuse a session), RFC 7504 (521), RFC 4954 section 6 (535): such a reply is about the client, not about any message.
test.each([
  ['onConnect', 521],
  ['onConnect', 554],
  ['onAuth', 535],
  ['onMailFrom', 553],
  ['onMailFrom', 530],
] as const)('a server that refuses the session at %s with %i keeps messages waiting, and counts as not answering', async (stage, code) => {
  const server = await refusing(stage, code)
  const transport = createTransport(`smtp://${stage === 'onAuth' ? 'me:secret@' : ''}127.0.0.1:${server.port}`, 1)
  try {
    const { reached, recipients, reply } = await send(transport, message(['a@x.example']))
    expect([reached, recipients.map((r) => r.result)]).toEqual([false, ['deferred']])
    expect(reply).toContain(String(code))
  } finally {
    transport.close()
    await server.close()
  }
})

test('a server that takes everybody’s refusal with 451 leaves the message waiting, with the reply kept', async () => {
  const { ines } = await makeClaims(engine.pool)
  await goLive(engine, newClaimWorkflow())
  engine.room.faults = { refuse: { '*': 451 } }
  await engine.startWorker()
  await engine.pool.query('insert into data.claims (owner) values ($1)', [ines])
  await until('the first attempt', async () => (await many(engine.pool, 'select 1 from rappel.delivery_attempt')).length === 1)
  const [waiting] = await until('the message to wait again', async () => {
    const list = await listMessages(engine.pool, { state: 'queued', limit: 5 })
    return list[0]?.last_reply ? list : null
  })
  expect(waiting?.last_reply).toContain('451')
  engine.room.faults = {}
  await engine.pool.query('update rappel.message set next_at = now()')
  await until('the mail', () => engine.room.store.list({}).length === 1)
  expect((await one<{ n: number }>(engine.pool, `select count(*) as n from rappel.suppression`)).n).toBe(0)
})

test('a server that stalls counts as lost: everything stays open, nothing hangs', async () => {
  engine.room.faults = { delayMs: 2_500 }
  const result = await sendTo(['a@x.example'], 400)
  expect(result).toMatchObject({ reached: false, recipients: [{ result: 'deferred' }] })
})

test('a connection closed after DATA is ambiguous: it counts as lost, and the repetition has the same Message-ID', async () => {
  engine.room.faults = { dropAfterData: 1 }
  expect(await sendTo(['a@x.example'])).toMatchObject({ reached: false, recipients: [{ result: 'deferred' }] })
  expect(await sendTo(['a@x.example'])).toMatchObject({ reached: true, recipients: [{ result: 'sent' }] })
  const ids = await Promise.all(engine.room.store.list({}).map(async ({ id }) => /^Message-ID: (.*)\r$/m.exec((await engine.room.store.source(id)).toString())?.[1]))
  expect(new Set(ids)).toEqual(new Set(['<1@x.example>']))
})

// Source: RFC 5321 section 4.5.3.1.8: a server takes at least 100 recipients a transaction; more go in further ones.
test('more recipients than one transaction takes are split over several, each address once', async () => {
  const addresses = Array.from({ length: 230 }, (_, i) => `p${i}@x.example`)
  const { recipients } = await sendTo(addresses)
  expect(recipients.map((r) => r.result)).toEqual(addresses.map(() => 'sent'))
  const envelopes = engine.room.store.list({}).map((m) => m.envelope.to)
  expect(envelopes.map((to) => to.length)).toEqual([100, 100, 30])
  expect(envelopes.flat()).toEqual(addresses)
})
