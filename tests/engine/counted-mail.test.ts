import { one } from '@/store/database'
import { listLoads } from '@/store/limits/load'
import { listOwnMail } from '@/store/limits/own-say'
import { listPersonMail } from '@/store/limits/person-mail'
import { peopleByEmail } from '@/store/people'
import { countOutcome, listMostWritten, listNoisy, readReach, readTally, tallyWorkflows } from '@/store/today'
import { INES, makeClaims, newClaimWorkflow, RAFI } from '../support/claims'
import { type Engine, goLive, startEngine } from '../support/engine'
import { machine } from '../support/machine'

/** How much mail somebody got is what came to them: Today, who gets what, and a person's page count alike. */

let engine: Engine
beforeEach(async () => {
  engine = await startEngine()
})
afterEach(() => engine.stop())

const ALL = new Date('2026-01-01T00:00:00Z')

test('what goes in one digest is one mail, so is what waits for the next, and what was refused or called off is none', async () => {
  const { pool } = engine
  await makeClaims(pool)
  const people = (await peopleByEmail(pool)).ids
  const m = machine(pool, new Date('2026-03-02T10:00:00Z'))
  await goLive(engine, newClaimWorkflow({ limits: { digest: { at: ['16:00'] } } }), m.now())
  const claims = async (count: number, owner: string) => {
    const id = people.get(owner)
    await m.write(m.now(), (db) => db.query('insert into data.claims (owner) select $1 from generate_series(1, $2)', [id, count]))
    await m.settle()
  }
  const got = async () => ({
    loads: (await listLoads(pool, ALL)).map((l) => [l.address, l.mails, l.again]),
    days: (await listPersonMail(pool, INES, ALL, 'UTC')).map((p) => [p.mails, p.again, p.days.map((d) => `${d.day} ${d.mails}`)]),
    noisy: (await listNoisy(pool, ALL, 3)).map((n) => [n.name, n.messages, n.anHour]),
    written: (await listMostWritten(pool, ALL, 3)).map((w) => [w.address, w.messages]),
    own: (await listOwnMail(pool, INES, ALL)).map((w) => [w.mails, w.at.length]),
    tally: (await tallyWorkflows(pool, ALL)).map((w) => [w.runs, w.messages, w.failed]),
    ever: await countOutcome(pool, (await one<{ id: number }>(pool, 'select id from rappel.workflow')).id),
  })
  /** As the mail server would take it. */
  const deliver = async () => {
    await pool.query(`update rappel.message_recipient r set state = 'sent' from rappel.message m where m.id = r.message and m.state = 'queued'`)
    await pool.query(`update rappel.message set state = 'sent', attempt = 1, finished_at = created_at where state = 'queued'`)
  }

  await claims(7, INES)
  await m.pass('3 hours')
  await claims(5, INES)
  expect(await got()).toEqual({
    loads: [[INES, 1, 0]],
    days: [[1, 0, ['2026-03-02 1']]],
    noisy: [],
    written: [],
    own: [[1, 12]],
    tally: [[12, 0, 0]],
    ever: { firings: 12, messages: 0, notices: 0 },
  })
  expect(await readTally(pool, ALL)).toMatchObject({ waiting: 0, held: 12 })
  expect(await readReach(pool, ALL)).toMatchObject({ sent: 0 })

  await m.passUntil(new Date('2026-03-02T16:00:00Z'))
  await deliver()
  await m.pass('2 hours')
  await claims(3, INES) // for the next afternoon
  await m.pass('10 hours')
  await claims(2, INES)
  await m.passUntil(new Date('2026-03-03T16:00:00Z'))
  expect(await got()).toEqual({
    loads: [[INES, 2, 0]],
    days: [[2, 0, ['2026-03-02 1', '2026-03-03 1']]],
    noisy: [['Ines Okafor', 2, 1]],
    written: [[INES, 1]], // the second waits for the mail server
    own: [[2, 17]],
    tally: [[17, 2, 0]],
    ever: { firings: 17, messages: 2, notices: 0 },
  })

  await deliver()
  await claims(1, RAFI)
  await m.passUntil(new Date('2026-03-04T16:00:00Z')) // alone, it goes as it is
  await pool.query(`update rappel.message_recipient set state = 'failed' where lower(address) = $1`, [RAFI])
  await pool.query(`update rappel.message set state = 'failed', finished_at = created_at where id = (select message from rappel.message_recipient where lower(address) = $1)`, [
    RAFI,
  ])
  expect((await one<{ n: number }>(pool, `select count(*)::int as n from rappel.message where state = 'gathered'`)).n).toBe(17)
  expect(await got()).toMatchObject({ loads: [[INES, 2, 0]], written: [[INES, 2]], tally: [[18, 3, 1]] })
})
