import type { AddressInfo } from 'node:net'
import type { Transporter } from 'nodemailer'
import { SMTPServer } from 'smtp-server'
import { giveAccountMail } from '@/engine/account/give'
import { openAccountKey } from '@/engine/account/link'
import { createTransport } from '@/engine/delivery/server'
import { claimAccountMail, listWaysIn, makeAccountLink, purgeAccountLinks, readAccountLink, tellOfChange, useAccountLink } from '@/store/access/account-links'
import { signingSecret } from '@/store/access/secrets'
import { checkPassword, openSession, sessionPerson, setPassword } from '@/store/access/sessions'
import { many, transaction } from '@/store/database'
import { deactivatePerson, putPerson } from '@/store/people'
import { writeSettings } from '@/store/settings'
import { freshDatabase } from '../support/database'

let database: Awaited<ReturnType<typeof freshDatabase>>
let person: number
let server: SMTPServer
let transport: Transporter
let arrived: string[]
let refusal: number | null
beforeEach(async () => {
  database = await freshDatabase()
  await database.pool.query('alter sequence rappel.person_id_seq restart with 3000000000') // more than 32 bits hold
  await writeSettings(database.pool, { name: 'Office', sender: { name: 'Office', address: 'alerts@office.example' } })
  person = (await putPerson(database.pool, 'new@office.example', { name: 'New Person', role: 'editor' })).id
  arrived = []
  refusal = null
  server = new SMTPServer({
    authOptional: true,
    disabledCommands: ['STARTTLS'],
    onRcptTo: (_address, _session, done) => done(refusal ? Object.assign(new Error('no'), { responseCode: refusal }) : null),
    onData(stream, _session, done) {
      const chunks: Buffer[] = []
      stream.on('data', (chunk: Buffer) => chunks.push(chunk))
      stream.on('end', () => {
        arrived.push(Buffer.concat(chunks).toString('utf8'))
        done(null)
      })
    },
  })
  await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve))
  transport = createTransport(`smtp://127.0.0.1:${(server.server.address() as AddressInfo).port}`, 1)
})
afterEach(async () => {
  transport.close()
  await new Promise<void>((resolve) => server.close(resolve))
  await database.drop()
})

const make = (purpose: 'invitation' | 'reset' = 'invitation') => transaction(database.pool, (db) => makeAccountLink(db, person, purpose, null)) as Promise<number>
const read = (id: number) => readAccountLink(database.pool, id)
const give = () => giveAccountMail(database.pool, transport, 'http://rappel.example')
const mailState = async () =>
  (
    await many<{ due: boolean; sent: boolean; attempt: number }>(
      database.pool,
      'select mail_due_at is not null as due, mail_sent_at is not null as sent, mail_attempt as attempt from rappel.account_link order by id desc',
    )
  )[0]

test('an invitation’s mail carries a link that counts, and the database holds nothing that one could sign in with', async () => {
  const id = await make()
  expect(await give()).toBe(1)
  expect(await give()).toBe(0)
  const text = (arrived[0] as string).replaceAll('=\r\n', '')
  expect(text).toMatch(/^Auto-Submitted: auto-generated/m)
  expect(text).toMatch(/^X-Rappel-Account: invitation/im)
  const key = decodeURIComponent(/http:\/\/rappel\.example\/sign-in\/([\w.%-]+)/.exec(text)?.[1] as string)
  expect(openAccountKey(key, await signingSecret(database.pool, 'account'))).toBe(id)
  const kept = JSON.stringify(await many(database.pool, 'select * from rappel.account_link'))
  expect(kept).not.toContain(key.split('.')[1])
  expect((await listWaysIn(database.pool))[0]).toMatchObject({ person, hasPassword: false, openUntil: expect.any(Date), sentAt: expect.any(Date) })
})

test('a link counts once, however many use it at the same moment', async () => {
  const link = await read(await make())
  const used = await Promise.all(Array.from({ length: 8 }, () => transaction(database.pool, (db) => useAccountLink(db, link as NonNullable<typeof link>))))
  expect(used.filter(Boolean)).toHaveLength(1)
  expect(await read(link?.id as number)).toBeNull()
})

test('a newer link ends the older one; the use of one ends all', async () => {
  const [first, second, reset] = [await make(), await make(), await make('reset')]
  expect([await read(first), (await read(second))?.id, (await read(reset))?.id]).toEqual([null, second, reset])
  await transaction(database.pool, async (db) => useAccountLink(db, (await readAccountLink(db, reset)) as NonNullable<Awaited<ReturnType<typeof read>>>))
  expect(await read(second)).toBeNull()
})

test('an invitation counts for three days, a link for a new password for two hours', async () => {
  const hours = async (id: number) =>
    (await many<{ h: number }>(database.pool, 'select extract(epoch from expires_at - created_at) / 3600 as h from rappel.account_link where id = $1', [id]))[0]?.h
  expect([Number(await hours(await make())), Number(await hours(await make('reset')))]).toEqual([72, 2])
  const id = await make()
  await database.pool.query('update rappel.account_link set expires_at = now()')
  expect(await read(id)).toBeNull()
  await database.pool.query(`update rappel.account_link set expires_at = now() - interval '31 days'`)
  expect(await purgeAccountLinks(database.pool)).toBe(3)
})

test('nothing is sent to somebody who left or may not sign in, and more than five an hour are not sent', async () => {
  const id = await make()
  await putPerson(database.pool, 'new@office.example', { role: null })
  expect([await read(id), await claimAccountMail(database.pool, 9)]).toEqual([null, []])
  await putPerson(database.pool, 'new@office.example', { role: 'member' })
  await deactivatePerson(database.pool, 'new@office.example', null)
  expect(await read(id)).toBeNull()
  await putPerson(database.pool, 'new@office.example', { active: true })
  for (let i = 0; i < 4; i++) expect(await make()).not.toBeNull()
  expect(await make()).toBeNull()
  expect(await make('reset')).not.toBeNull()
})

test('a mail that the server puts off is tried again, one it refuses for good is not, and one that is held by a worker that died comes again', async () => {
  await make()
  refusal = 451
  await give()
  expect(await mailState()).toEqual({ due: true, sent: false, attempt: 1 })
  expect(await give()).toBe(0) // not before its time
  refusal = null
  await database.pool.query('update rappel.account_link set mail_due_at = now()')
  await give()
  expect([await mailState(), arrived.length]).toEqual([{ due: false, sent: true, attempt: 2 }, 1])
  await make()
  refusal = 550
  await give()
  expect(await mailState()).toEqual({ due: false, sent: false, attempt: 1 })
  await make('reset')
  await claimAccountMail(database.pool, 1) // and dies
  await database.pool.query("update rappel.account_link set mail_due_at = mail_due_at - interval '3 minutes'")
  refusal = null
  expect(await give()).toBe(1)
})

test('a new password ends every other session; one that is idle for longer than the settings allow ends too', async () => {
  const entry = { way: 'password' as const, agent: null, caller: null }
  const open = async () => (await openSession(database.pool, person, entry)).token
  const [here, there] = [await open(), await open()]
  const session = (await sessionPerson(database.pool, here))?.session as number
  await setPassword(database.pool, person, 'two blue kettles', session)
  expect([(await sessionPerson(database.pool, here))?.id, await sessionPerson(database.pool, there)]).toEqual([person, null])
  expect((await checkPassword(database.pool, ' NEW@office.example ', 'two blue kettles'))?.id).toBe(person)
  await writeSettings(database.pool, { idleMinutes: 30 })
  await database.pool.query(`update rappel.session set last_seen_at = now() - interval '29 minutes'`)
  expect((await sessionPerson(database.pool, here))?.id).toBe(person) // and is used now
  await database.pool.query(`update rappel.session set last_seen_at = now() - interval '31 minutes'`)
  expect(await sessionPerson(database.pool, here)).toBeNull()
})

test('whoever’s password was changed is told by mail, which opens nothing', async () => {
  await transaction(database.pool, (db) => tellOfChange(db, person))
  const { id } = (await many<{ id: number }>(database.pool, 'select id from rappel.account_link'))[0] as { id: number }
  expect(await read(id)).toBeNull()
  await give()
  expect(arrived[0]).toMatch(/^Subject: Your password for Rappel at Office was changed/m)
  expect(arrived[0]).not.toContain('/sign-in/')
})

test('a session proves who its owner is for ten minutes', async () => {
  const { token } = await openSession(database.pool, person, { way: 'openid', agent: 'x'.repeat(5_000), caller: '192.0.2.1' })
  expect((await sessionPerson(database.pool, token))?.isProved).toBe(true)
  await database.pool.query(`update rappel.session set proved_at = now() - interval '11 minutes'`)
  expect((await sessionPerson(database.pool, token))?.isProved).toBe(false)
})
