import fc from 'fast-check'
import { Delivery } from '@/engine/delivery/deliver'
import { createTransport } from '@/engine/delivery/server'
import { oneWay } from '@/engine/delivery/way'
import type { Faults } from '@/outside/post-room/faults'
import { many } from '@/store/database'
import { registerWorker } from '@/store/workers'
import { makeClaims, newClaimWorkflow } from '../support/claims'
import { type Engine, goLive, startEngine, until } from '../support/engine'

const ADDRESSES = Array.from({ length: 12 }, (_, i) => `p${i}@quay.example`)
const MESSAGES = 40
const ROUNDS = 10
const BETWEEN_MS = 80 * 60_000 // longer than the longest wait, so that whatever may be tried again is

let engine: Engine
beforeEach(async () => {
  engine = await startEngine()
})
afterEach(() => engine.stop())

/** What a server does wrong for a while. */
const faults: fc.Arbitrary<Faults> = fc.record({
  refuse: fc.dictionary(fc.constantFrom(...ADDRESSES), fc.constantFrom(450, 451, 452, 450, 451, 550, 552, 554), { maxKeys: 8 }),
  dropAfterData: fc.constantFrom(0, 0, 1, 3),
  down: fc.constantFrom(false, false, false, true),
})

interface Delivered {
  readonly message_id: string
  readonly state: string
  readonly lost: number
  readonly recipients: { address: string; state: string; reply: string | null }[]
}

const delivered = () =>
  many<Delivered>(
    engine.pool,
    `select m.message_id, m.state, (select count(*)::int from rappel.delivery_attempt a where a.message = m.id and a.outcome = 'lost') as lost,
            (select jsonb_agg(jsonb_build_object('address', r.address, 'state', r.state, 'reply', r.reply)) from rappel.message_recipient r where r.message = m.id) as recipients
       from rappel.message m order by m.id`,
  )

/** How often the server took each message for each address, by Message-ID and address. */
async function taken(): Promise<Map<string, number>> {
  const counts = new Map<string, number>()
  for (const { id, envelope } of engine.room.store.list({})) {
    const messageId = /^Message-ID: (.*)\r$/m.exec((await engine.room.store.source(id)).toString())?.[1]
    for (const address of envelope.to) counts.set(`${messageId} ${address}`, (counts.get(`${messageId} ${address}`) ?? 0) + 1)
  }
  return counts
}

// Source: RFC 5321 sections 4.2.1, 4.5.4.1 (4yz and lost connections are tried again, 5yz are not) and 6.1 (who took a message is responsible for it).
test.each([3, 17, 2026])(
  'whatever a server does for hours, each address gets each message once or is told of for good; schedule %i',
  async (seed) => {
    await makeClaims(engine.pool)
    await goLive(engine, newClaimWorkflow({ actions: [{ name: 'tell', do: 'email', to: [{ text: '{{ claim.note }}' }], subject: 'S {{ claim.number }}', body: 'B' }] }))
    await engine.startWorker(['changes'])
    const groups = fc.sample(fc.uniqueArray(fc.constantFrom(...ADDRESSES), { minLength: 1, maxLength: 4 }), { numRuns: MESSAGES, seed })
    await engine.pool.query('insert into data.claims (note) select unnest($1::text[])', [groups.map((g) => g.join(', '))])
    await until('the messages', async () => (await many(engine.pool, 'select 1 from rappel.message')).length === MESSAGES)

    let now = Date.now() + 1_000
    const transport = createTransport(`smtp://127.0.0.1:${engine.room.smtpPort}`, 3, 5_000)
    const worker = await registerWorker(engine.pool, 'test', process.pid)
    const delivery = new Delivery(
      engine.pool,
      oneWay(transport, () => now),
      () => worker,
      () => new Date(now),
    )
    const schedule = fc.sample(faults, { numRuns: ROUNDS, seed })
    for (const given of [...schedule, {}, {}]) {
      await engine.room.setFaults(structuredClone(given))
      while (await delivery.pump());
      await delivery.settle()
      now += BETWEEN_MS
    }
    transport.close()

    const counts = await taken()
    const ended = await delivered()
    expect(ended).toHaveLength(MESSAGES)
    for (const { message_id, state, lost, recipients } of ended) {
      expect(['sent', 'failed']).toContain(state)
      for (const { address, state: own, reply } of recipients) {
        const times = counts.get(`${message_id} ${address}`) ?? 0
        expect({ address, own, times: own === 'failed' ? times <= lost : times >= 1 && times <= 1 + lost }).toEqual({ address, own, times: true })
        if (own === 'failed') expect(reply).toMatch(/^5\d\d /)
        else expect(own).toBe('sent')
      }
    }
    expect(ended.some((m) => m.state === 'failed') && ended.some((m) => m.lost > 0) && ended.some((m) => m.state === 'sent')).toBe(true)
  },
  120_000,
)
