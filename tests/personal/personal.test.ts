import { ERASED } from '@/core/recipients/mentions'
import { personalFile } from '@/engine/personal'
import { many, one, transaction } from '@/store/database'
import { putGroup } from '@/store/people'
import { erasePersonal } from '@/store/personal/erase'
import { countPersonal, identityOf, readPersonal } from '@/store/personal/find'
import { dropOldRuns, dropOldTexts, dropUnusedContents } from '@/store/retention'
import { readSchema } from '@/store/tables'
import { INES, makeClaims, newClaimWorkflow, RAFI } from '../support/claims'
import { type Engine, goLive, startEngine, until } from '../support/engine'
import { whereStands } from '../support/stands'

const OUTSIDE = 'Kunde+1@else.example'

let engine: Engine
beforeEach(async () => {
  engine = await startEngine()
  const { ines } = await makeClaims(engine.pool)
  await goLive(
    engine,
    newClaimWorkflow({
      actions: [
        {
          name: 'tell',
          do: 'email',
          to: [{ field: 'owner' }, { field: 'contact_email' }],
          delivery: 'each',
          subject: 'About {{ claim.contact_email }}',
          body: 'Dear {{ claim.owner.first_name }}, about {{ claim.contact_email }}',
        },
      ],
    }),
  )
  await engine.startWorker()
  await engine.pool.query('insert into data.claims (owner, contact_email) values ($1, $2), ($1, null)', [ines, OUTSIDE])
  await until('the mail', async () => (await many(engine.pool, `select 1 from rappel.message where state = 'sent'`)).length === 3)
})
afterEach(() => engine.stop())

const everywhere = (text: string) => whereStands(engine.pool, text)

/** What is kept of an address, with its mail and runs, as it is given as a file. */
async function fileOf(address: string) {
  const found = await readPersonal(engine.pool, await readSchema(engine.pool), address)
  const parts: Buffer[] = []
  for await (const part of personalFile(engine.pool, found, identityOf(address, found.person))) parts.push(part)
  return JSON.parse(Buffer.concat(parts).toString())
}

test('what is kept of an address outside is found, with the texts of its mail, and erased everywhere; that there was something stays', async () => {
  const schema = await readSchema(engine.pool)
  const data = await fileOf(OUTSIDE.toUpperCase())
  expect(data).toMatchObject({ person: null, records: [{ table: 'claims', field: 'contact_email' }], groups: [], named: [] })
  expect(data.messages).toHaveLength(1)
  expect(data.messages[0]).toMatchObject({ subject: `About ${OUTSIDE}`, delivered: 'sent' })
  expect(data.others).toEqual([expect.objectContaining({ table: 'claims', state: 'sent' })]) // the owner's own, which speaks of it
  expect(JSON.stringify(data.others)).not.toContain('About')
  expect(data.runs).toEqual([expect.objectContaining({ workflow: 'New claim', table: 'claims' })])
  expect(await countPersonal(engine.pool, { address: OUTSIDE })).toEqual({ messages: 1, others: 1, runs: 1 })
  const before = await one<object>(
    engine.pool,
    'select (select count(*) from rappel.run) as runs, (select count(*) from rappel.message) as messages, (select count(*) from rappel.change) as changes',
  )
  const erased = await transaction(engine.pool, (db) => erasePersonal(db, schema, OUTSIDE, true))
  expect(erased).toEqual({ messages: 1, others: 1, records: 1, person: false, left: [] })
  expect(await everywhere('kunde+1@else')).toEqual([])
  expect(await everywhere('kunde&#43;1@else')).toEqual([])
  const after = await one<Record<string, number>>(engine.pool, 'select (select count(*) from rappel.run) as runs, (select count(*) from rappel.message) as messages')
  expect(after).toEqual({ runs: (before as { runs: number }).runs, messages: (before as { messages: number }).messages })
  expect(await many(engine.pool, 'select state from rappel.message_recipient where address = $1', [ERASED])).toEqual([{ state: 'sent' }])
  expect(await fileOf(OUTSIDE)).toMatchObject({ messages: [], others: [], runs: [], records: [] })
  await until('nothing to be decided of what was emptied', async () => (await many(engine.pool, 'select from rappel.queue')).length === 0)
  expect(await everywhere('kunde+1@else')).toEqual([])
})

test('a person is erased with their name, ways in and past in the log, and their place stays without a name', async () => {
  const schema = await readSchema(engine.pool)
  await putGroup(engine.pool, 'Desk', [RAFI, INES], [])
  await engine.pool.query(`update rappel.person set phone = '0123 456' where email = $1`, [INES])
  expect(await readPersonal(engine.pool, schema, INES)).toMatchObject({ person: { email: INES, phone: '0123 456' }, groups: ['Desk'] })
  expect(await transaction(engine.pool, (db) => erasePersonal(db, schema, INES, false))).toMatchObject({ person: true, messages: 2 })
  expect(await everywhere('0123 456')).toEqual([])
  expect(await everywhere(INES)).toEqual([])
  expect(await everywhere('Ines Okafor')).toEqual([])
  expect(await one(engine.pool, `select name, active from rappel.person where email like 'erased-%'`)).toEqual({ name: 'Erased', active: false })
})

test('runs, texts and contents that are over are let go of; what waits stays', async () => {
  expect(await dropOldTexts(engine.pool, 1)).toBe(0)
  await engine.pool.query(`update rappel.message set created_at = now() - interval '2 months'`)
  expect(await dropOldTexts(engine.pool, 1)).toBe(3)
  expect(await many(engine.pool, `select distinct html, body, subject <> '' as said from rappel.message`)).toEqual([{ html: '', body: '', said: true }])
  await engine.pool.query(`update rappel.run set at = now() - interval '25 months'`)
  await engine.pool.query(`update rappel.message set state = 'queued' where id = (select max(id) from rappel.message)`)
  expect(await dropOldRuns(engine.pool, 24)).toBe(1)
  expect((await one<{ n: number }>(engine.pool, 'select count(*)::int as n from rappel.run')).n).toBe(1)
  await engine.pool.query(`insert into rappel.file_content (hash, content) values (sha256('x'::bytea), 'x')`)
  expect(await dropUnusedContents(engine.pool)).toBe(1)
})
