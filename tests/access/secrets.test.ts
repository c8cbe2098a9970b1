import { randomBytes } from 'node:crypto'
import { accountKey, openAccountKey } from '@/engine/account/link'
import { openSignedText, signedText } from '@/engine/signed'
import { openWhyKey, whyKey } from '@/engine/why-key'
import { checkDatabase, checkRole } from '@/store/access/database-role'
import { seal, unseal } from '@/store/access/sealed'
import { rotateSecret, sealSecrets, signingSecret } from '@/store/access/secrets'
import { createPool, many, one } from '@/store/database'
import { readGeneration } from '@/store/generation'
import { claimNotices, putChannel, queueNotices } from '@/store/notices'
import { administer, freshDatabase } from '../support/database'

let database: Awaited<ReturnType<typeof freshDatabase>>
beforeEach(async () => {
  database = await freshDatabase()
})
afterEach(() => database.drop())

const KEY = process.env.RAPPEL_KEY as string
const withKey = async <T>(key: string, work: () => T | Promise<T>): Promise<T> => {
  process.env.RAPPEL_KEY = key
  try {
    return await work()
  } finally {
    process.env.RAPPEL_KEY = KEY
  }
}
const anotherKey = () => randomBytes(32).toString('base64url')

test('a sealed secret opens with its key alone, and not once it was altered', async () => {
  const sealed = seal('the secret, with ümlauts')
  expect(unseal(sealed)).toBe('the secret, with ümlauts')
  expect(seal('the secret, with ümlauts')).not.toBe(sealed)
  expect(await withKey(anotherKey(), () => unseal(sealed))).toBeNull()
  const bytes = Buffer.from(sealed.slice('sealed:'.length), 'base64url')
  bytes[bytes.length - 1] = (bytes.at(-1) as number) ^ 1
  expect([unseal(`sealed:${bytes.toString('base64url')}`), unseal('sealed:'), unseal('plain')]).toEqual([null, null, null])
  await expect(withKey('short', () => seal('x'))).rejects.toThrow('Copy the file “key”')
})

test('no secret stands in the database as it is, neither the ones of links nor those of channels', async () => {
  const secrets = [await signingSecret(database.pool, 'why'), await signingSecret(database.pool, 'account'), 'the channel’s own']
  await putChannel(database.pool, 'Quays', 'http://127.0.0.1:9/', 'the channel’s own')
  const stored = JSON.stringify(
    await many(database.pool, `select value::text as v from rappel.setting union all select secret from rappel.channel union all select details::text from rappel.audit`),
  )
  for (const secret of secrets) expect(stored).not.toContain(secret)
})

test('what an older version kept plainly is sealed at the start and stays what it was; what another key sealed is replaced, and that is said', async () => {
  await database.pool.query(`insert into rappel.setting (key, value) values ('why-secret', '"old and plain"')`)
  await database.pool.query(`insert into rappel.channel (name, url, secret) values ('Quays', 'http://127.0.0.1:9/', 'plain too')`)
  expect(await sealSecrets(database.pool)).toEqual([])
  expect(await signingSecret(database.pool, 'why')).toBe('old and plain')
  expect(unseal((await one<{ secret: string }>(database.pool, 'select secret from rappel.channel')).secret)).toBe('plain too')
  await withKey(anotherKey(), async () => {
    await expect(signingSecret(database.pool, 'why')).rejects.toThrow('another key')
    const said = await sealSecrets(database.pool)
    expect(said.map((s) => /links are signed with|channel Quays/.test(s))).toEqual([true, true])
    expect(await signingSecret(database.pool, 'why')).not.toBe('old and plain')
  })
})

test('a channel whose secret cannot be opened keeps its notices waiting', async () => {
  await putChannel(database.pool, 'Quays', 'http://127.0.0.1:9/', 'secret of a channel')
  const workflow = await one<{ id: number }>(database.pool, `insert into rappel.workflow (name, draft) values ('W', '{}') returning id`)
  const { id: run } = await one<{ id: number }>(
    database.pool,
    `insert into rappel.run (workflow, version, key, change_id, tbl, rec, title, state, why, trace, changed_at, at) values ($1, 1, '1', 1, 't', '1', 'T', 'done', '', '{}', now(), now()) returning id`,
    [workflow.id],
  )
  const now = new Date()
  await queueNotices(database.pool, [{ run, workflow: workflow.id, channel: 'Quays', people: [], title: 'T', body: 'B', tbl: 't', rec: 1, created_at: now }])
  const claim = () => claimNotices(database.pool, 1, [], new Date(), now)
  expect((await claim())[0]?.secret).toBe('secret of a channel')
  expect((await withKey(anotherKey(), claim))[0]).toMatchObject({ url: 'http://127.0.0.1:9/', secret: null })
})

test('a secret that is replaced makes keys signed before lead nowhere, and workers take the new one up', async () => {
  const before = await signingSecret(database.pool, 'why')
  const key = whyKey('<1@x.example>', before)
  const generation = await readGeneration(database.pool)
  await rotateSecret(database.pool, 'why')
  const after = await signingSecret(database.pool, 'why')
  expect([openWhyKey(key, before), openWhyKey(key, after)]).toEqual(['<1@x.example>', null])
  expect(await readGeneration(database.pool)).toBeGreaterThan(generation)
})

test('a key counts for its purpose alone, and says nothing else than was signed', () => {
  const key = accountKey(17, 's')
  expect([openAccountKey(key, 's'), openAccountKey(key, 't'), openWhyKey(key, 's'), openAccountKey(whyKey('17', 's'), 's')]).toEqual([17, null, null, null])
  const [text, signature] = signedText('account', '18', 's').split('.') as [string, string]
  const forged = [`${Buffer.from('19').toString('base64url')}.${signature}`, text, `${text}.`, `.${signature}`, '', '.', `${text}.${signature}x`]
  expect(forged.map((f) => openSignedText('account', f, 's'))).toEqual(forged.map(() => null))
  expect(openAccountKey(signedText('account', '17 or 18', 's'), 's')).toBeNull()
})

test('a database that has no room for every script is refused with what to do', async () => {
  const name = `t_latin_${process.pid}`
  await administer(`create database ${name} encoding 'LATIN1' lc_collate 'C' lc_ctype 'C' template template0`)
  const address = new URL(database.url)
  address.pathname = `/${name}`
  const pool = createPool(address.href)
  try {
    expect(await checkDatabase(pool)).toContain(
      `The database ${name} is encoded in LATIN1, which has no room for every script that names and mail are written in. Give Rappel one in UTF8: create database … encoding 'UTF8' template template0;`,
    )
  } finally {
    await pool.end()
    await administer(`drop database ${name}`)
  }
})

test('the application’s role is no superuser and has what it needs; what is missing is said with the statement that mends it', async () => {
  expect(await checkRole(database.pool)).toEqual({ stops: [], warnings: [] })
  const grants = await one<{ rolsuper: boolean; rolcreatedb: boolean; rolcreaterole: boolean }>(
    database.pool,
    'select rolsuper, rolcreatedb, rolcreaterole from pg_roles where rolname = current_user',
  )
  expect(grants).toEqual({ rolsuper: false, rolcreatedb: false, rolcreaterole: false })
  await database.pool.query('drop schema graphile_worker cascade') // as it is before the first worker makes it
  await administer('create role rappel_less nologin')
  try {
    await administer('grant rappel_less to rappel')
    const client = await database.pool.connect()
    await client.query('set role rappel_less')
    const { stops } = await checkRole(client)
    await client.query('reset role')
    client.release()
    const name = await one<{ name: string }>(database.pool, 'select current_database() as name')
    expect([...stops].sort()).toEqual([
      `The role rappel_less may not create the schemas graphile_worker in the database ${name.name}. As its owner, run: grant create on database ${name.name} to rappel_less;`,
      'The schema data does not belong to the role rappel_less. As its owner, run: alter schema data owner to rappel_less;',
      'The schema rappel does not belong to the role rappel_less. As its owner, run: alter schema rappel owner to rappel_less;',
      'The schema rappel_change does not belong to the role rappel_less. As its owner, run: alter schema rappel_change owner to rappel_less;',
      'The schema rappel_log does not belong to the role rappel_less. As its owner, run: alter schema rappel_log owner to rappel_less;',
    ])
  } finally {
    await administer('drop role rappel_less')
  }
})
