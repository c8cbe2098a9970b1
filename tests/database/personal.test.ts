import { many, one, transaction } from '@/store/database'
import { putGroup } from '@/store/people'
import { ERASED, erasePersonal, readPersonal } from '@/store/personal'
import { dropOldRuns, dropOldTexts, dropUnusedContents } from '@/store/retention'
import { readSchema } from '@/store/tables'
import { INES, makeClaims, newClaimWorkflow, RAFI } from '../support/claims'
import { type Engine, goLive, startEngine, until } from '../support/engine'

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

/** Every text in every column of every table of Rappel's and the users'. */
async function everywhere(text: string): Promise<string[]> {
  const columns = await many<{ s: string; t: string; c: string }>(
    engine.pool,
    `select n.nspname as s, r.relname as t, a.attname as c from pg_attribute a join pg_class r on r.oid = a.attrelid join pg_namespace n on n.oid = r.relnamespace
      where n.nspname in ('rappel', 'rappel_log', 'data') and r.relkind = 'r' and a.attnum > 0 and not a.attisdropped`,
  )
  const found: string[] = []
  for (const { s, t, c } of columns) {
    const { n } = await one<{ n: number }>(engine.pool, `select count(*)::int as n from "${s}"."${t}" where "${c}"::text ilike $1`, [`%${text}%`])
    if (n > 0) found.push(`${s}.${t}.${c}`)
  }
  return found
}

test('what is kept of an address outside is found, with the texts of its mail, and erased everywhere; that there was something stays', async () => {
  const schema = await readSchema(engine.pool)
  const data = await readPersonal(engine.pool, schema, OUTSIDE.toUpperCase())
  expect(data).toMatchObject({ person: null, records: [{ table: 'claims', field: 'contact_email' }], groups: [] })
  expect(data.messages).toHaveLength(1)
  expect(data.messages[0]).toMatchObject({ subject: `About ${OUTSIDE}`, delivered: 'sent' })
  const before = await one<object>(
    engine.pool,
    'select (select count(*) from rappel.run) as runs, (select count(*) from rappel.message) as messages, (select count(*) from rappel.change) as changes',
  )
  const erased = await transaction(engine.pool, (db) => erasePersonal(db, schema, OUTSIDE, true))
  expect(erased).toEqual({ messages: 1, records: 1, person: false })
  expect(await everywhere('kunde+1@else')).toEqual(['rappel.message.subject', 'rappel.message.html', 'rappel.message.body']) // the owner's own mail speaks of it, which is theirs
  const after = await one<Record<string, number>>(engine.pool, 'select (select count(*) from rappel.run) as runs, (select count(*) from rappel.message) as messages')
  expect(after).toEqual({ runs: (before as { runs: number }).runs, messages: (before as { messages: number }).messages })
  expect(await many(engine.pool, 'select state from rappel.message_recipient where address = $1', [ERASED])).toEqual([{ state: 'sent' }])
  expect((await readPersonal(engine.pool, schema, OUTSIDE)).messages).toEqual([])
})

test('a person is erased with their name, ways in and past in the log, and their place stays without a name', async () => {
  const schema = await readSchema(engine.pool)
  await putGroup(engine.pool, 'Desk', [RAFI, INES], [])
  await engine.pool.query(`update rappel.person set phone = '0123 456' where email = $1`, [INES])
  expect(await readPersonal(engine.pool, schema, INES)).toMatchObject({ person: { email: INES, phone: '0123 456' }, groups: ['Desk'] })
  expect(await transaction(engine.pool, (db) => erasePersonal(db, schema, INES, false))).toMatchObject({ person: true, messages: 2 })
  expect(await everywhere('0123 456')).toEqual([])
  expect((await everywhere(INES)).filter((where) => !/\.(setting|audit|workflow|worker)/.test(where))).toEqual([])
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
