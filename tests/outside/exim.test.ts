import { offeredSize } from '@/engine/delivery/offered-size'
import { send } from '@/engine/delivery/send'
import { createTransport, type MailServer, serverOf } from '@/engine/delivery/server'
import { claimedMessage } from '../support/delivery'
import { until } from '../support/engine'
import { noExim, startExim } from '../support/servers/exim'
import { HERE, USER } from '../support/servers/postfix'

/** Held against a program of another maker: Exim 4 from Debian's packages. */
const lacking = noExim()
if (lacking) console.warn(`Exim was not tried: it ${lacking}.`)
const withExim = lacking ? describe.skip : describe

withExim('by Exim, with STARTTLS and a user', () => {
  let exim: Awaited<ReturnType<typeof startExim>>
  let server: MailServer
  beforeAll(async () => {
    exim = await startExim()
    server = { ...serverOf(`smtp://127.0.0.1:${exim.port}`), security: 'STARTTLS', ...USER }
  }, 300_000)
  afterAll(() => exim.stop())

  const to = (names: readonly string[], body = 'B') =>
    claimedMessage({
      body,
      html: `<p>${body}</p>`,
      workflow: 'Überfällige Fahrten',
      recipients: names.map((name, position) => ({ position, part: 'to' as const, address: `${name}@${HERE}`, name: null, state: 'open' as const })),
    })

  async function sent(...args: Parameters<typeof to>) {
    const transport = createTransport(server, 1)
    try {
      return await send(transport, to(...args))
    } finally {
      transport.close()
    }
  }

  test('one address that is refused stops no other, one with letters beyond ASCII is taken, and it is signed in over TLS', async () => {
    const { recipients } = await sent(['ines', 'nobody', 'andré'])
    expect(recipients.map((r) => r.result)).toEqual(['sent', 'refused', 'sent'])
    expect(recipients[1]?.reply).toMatch(/^550 no such mailbox/)
    await until('the mail', () => exim.mailbox('ines').length > 0 && exim.mailbox('andré').length > 0)
    expect(exim.mailbox('ines')[0]).toMatch(/with utf8esmtpsa/) // RFC 3848, RFC 6531
    expect(exim.mailbox('ines')[0]).toMatch(/^List-ID: =\?UTF-8\?Q\?[^?]+\?=\s+<uberfallige-fahrten\.rappel\.office\.example>/im)
  })

  // RFC 5321 section 4.5.3.1.10: a server that has had enough recipients answers 452; those go in a transaction of their own.
  test('recipients beyond what the server takes at once wait, and are sent with fewer at once', async () => {
    const names = ['a', 'b', 'c', 'd', 'e']
    const { recipients } = await sent(names)
    expect(recipients.map((r) => r.result)).toEqual(['sent', 'sent', 'sent', 'deferred', 'deferred'])
    const transport = createTransport(server, 1)
    const again = await send(transport, to(names), { mostRecipients: 2 })
    transport.close()
    expect(again.recipients.map((r) => r.result)).toEqual(names.map(() => 'sent'))
  })

  test('the size that it takes is read, and what is larger is refused for good (RFC 1870)', async () => {
    expect(await offeredSize(server)).toBe(50_000)
    const { reached, recipients } = await sent(['ines'], 'x'.repeat(60_000))
    expect(reached).toBe(true)
    expect(recipients[0]?.result).toBe('refused')
    expect(recipients[0]?.reply).toMatch(/^552 /)
  })

  test('a wrong password reaches nobody, and is no fault of the message', async () => {
    const transport = createTransport({ ...server, password: 'wrong' }, 1)
    expect(await send(transport, to(['ines']))).toMatchObject({ reached: false, recipients: [{ result: 'deferred' }] })
    transport.close()
  })
})
