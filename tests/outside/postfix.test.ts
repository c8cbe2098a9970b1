import type { AddressInfo } from 'node:net'
import pino from 'pino'
import { SMTPServer } from 'smtp-server'
import type { BounceSource } from '@/engine/bounces/source'
import { Worker } from '@/engine/worker/worker'
import { writeMailServer } from '@/store/access/mail-server'
import { many } from '@/store/database'
import { makeClaims, newClaimWorkflow } from '../support/claims'
import { BASE_URL, type Engine, goLive, startEngine, until } from '../support/engine'
import { freePort } from '../support/servers/ports'
import { HERE, LATER, noPostfix, startPostfix, USER } from '../support/servers/postfix'

/** Held against programs of other makers: Postfix 3 (SMTP, its reports of delivery) and Dovecot 2.3 (SASL, IMAP), from Debian's packages. */
const lacking = noPostfix()
if (lacking) console.warn(`Postfix was not tried: it ${lacking}.`)
const withPostfix = lacking ? describe.skip : describe

withPostfix('by Postfix, with STARTTLS and a user', () => {
  let engine: Engine
  let postfix: Awaited<ReturnType<typeof startPostfix>>
  let nextHop: SMTPServer
  let bouncesAt: number
  const workers: Worker[] = []

  beforeAll(async () => {
    nextHop = new SMTPServer({
      authOptional: true,
      disabledCommands: ['STARTTLS'],
      logger: false,
      onRcptTo({ address }, _session, done) {
        const [code, words] = address.startsWith('full') ? [552, '5.2.2 mailbox full'] : [550, '5.1.1 no such person']
        done(Object.assign(new Error(words as string), { responseCode: code }))
      },
    })
    await new Promise<void>((resolve) => nextHop.listen(0, '127.0.0.1', resolve))
    bouncesAt = await freePort()
    postfix = await startPostfix({ nextHop: (nextHop.server.address() as AddressInfo).port, bouncesAt })
  }, 300_000)
  afterAll(async () => {
    await postfix.stop()
    await new Promise<void>((resolve) => nextHop.close(() => resolve()))
  })

  beforeEach(async () => {
    engine = await startEngine()
    await makeClaims(engine.pool)
    await writeMailServer(engine.pool, { host: '127.0.0.1', port: postfix.smtp, security: 'STARTTLS', user: USER.user, dkim: null }, { password: USER.password, dkimKey: null })
  })
  afterEach(async () => {
    await Promise.all(workers.splice(0).map((w) => w.stop()))
    await engine.stop()
  })

  async function start(bounces?: BounceSource): Promise<void> {
    const worker = new Worker({ databaseUrl: engine.url, smtpUrl: 'smtp://127.0.0.1:1', baseUrl: BASE_URL, log: pino({ level: 'silent' }), ...(bounces ? { bounces } : {}) })
    await worker.start()
    workers.push(worker)
  }

  async function tell(to: string): Promise<void> {
    const name = `Tell ${to.replaceAll(/[^a-z]/g, ' ')}`
    await goLive(
      engine,
      newClaimWorkflow({ name, actions: [{ name: 'tell', do: 'email', to: [{ address: to }], subject: 'Überfällig: {{ claim.number }}', body: 'Größe: 10 €' }] }),
    )
    await engine.pool.query('insert into data.claims (note) values ($1)', [to])
  }

  const recipients = () =>
    many<{ address: string; state: string; reply: string | null }>(engine.pool, 'select address, state, reply from rappel.message_recipient order by message')

  test('mail arrives in its mailbox, filed by its List-Id, in letters beyond ASCII too', async () => {
    await start()
    await tell(`ines@${HERE}`)
    const source = await until('the mail', () => postfix.mailbox('ines').find((mail) => mail.includes('Tell ines')))
    expect(source).toMatch(/^Return-Path: <[^>]+>/m)
    expect(source).toMatch(/^List-ID: "?Tell ines office example"?\s+<tell-ines-office-example\.rappel\.localhost\.localdomain>/im)
    expect(source).toMatch(/with ESMTPSA/) // RFC 3848: TLS and a user
    await until('it to be marked', async () => (await recipients())[0]?.state === 'sent')
    await tell(`andré@${HERE}`) // RFC 6531: its local part needs SMTPUTF8
    await until('the mail to André', () => postfix.mailbox('andré').length > 0)
  })

  test('what a later server refuses comes back to the listener: the message has failed, in that server’s words, and an address that is no more is suppressed', async () => {
    await start({ address: 'alerts@bounces.example', from: { kind: 'listener', host: '127.0.0.1', port: bouncesAt } })
    await tell(`gone@${LATER}`)
    await tell(`full@${LATER}`)
    const failed = await until('both to come back', async () => {
      const list = (await recipients()).filter((r) => r.state === 'failed')
      return list.length >= 3 ? list : null // the second claim is told to both
    })
    for (const { reply } of failed) expect(reply).toMatch(/^Came back: 5\.\d\.\d .*(no such person|mailbox full)/)
    expect(await many(engine.pool, 'select address from rappel.suppression')).toEqual([{ address: `gone@${LATER}` }])
    expect(await many(engine.pool, `select distinct action, status, address from rappel.bounce order by address`)).toEqual([
      { action: 'failed', status: '5.2.2', address: `full@${LATER}` },
      { action: 'failed', status: '5.1.1', address: `gone@${LATER}` },
    ])
  }, 60_000)

  test('the same by a mailbox, read by IMAP, where two workers wait for it', async () => {
    const mailbox = { host: '127.0.0.1', port: postfix.imap, secure: false, user: `bounces@${HERE}`, password: USER.password, folder: 'INBOX' }
    const source: BounceSource = { address: `bounces@${HERE}`, from: { kind: 'mailbox', mailbox } }
    await start(source)
    await start(source)
    await tell(`gone@${LATER}`)
    await until('it to come back', async () => (await recipients())[0]?.state === 'failed', 50_000)
    expect((await recipients())[0]?.reply).toContain('no such person')
    expect(postfix.mailbox('bounces')[0]).toMatch(/^Delivered-To: bounces\+/m)
  }, 60_000)
})
