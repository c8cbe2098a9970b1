import type { AddressInfo } from 'node:net'
import { createServer, type Server, type Socket } from 'node:net'
import { takeMail } from '@/engine/bounces/take'
import { Delivery } from '@/engine/delivery/deliver'
import { giveNotices } from '@/engine/delivery/notices'
import { createTransport } from '@/engine/delivery/server'
import { oneWay } from '@/engine/delivery/way'
import { many, one } from '@/store/database'
import { putChannel } from '@/store/notices'
import { registerWorker } from '@/store/workers'
import { freshDatabase } from '../support/database'
import { BASE_URL, until } from '../support/engine'

/** What other servers say is kept, whatever bytes it has; PostgreSQL's texts have no room for a NUL (its documentation, 8.3). */

let db: Awaited<ReturnType<typeof freshDatabase>>
let server: Server
let asked: number
beforeEach(async () => {
  db = await freshDatabase()
  asked = 0
  await db.pool.query(`insert into rappel.workflow (name, draft) values ('W', '{}')`)
})
afterEach(async () => {
  await new Promise((resolve) => server?.close(resolve) ?? resolve(null))
  await db.drop()
})

/** Listens on loopback and talks as it is told to; its port. */
async function talking(talk: (socket: Socket) => void): Promise<number> {
  server = createServer((socket) => {
    socket.on('error', () => undefined)
    talk(socket)
  })
  await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve))
  return (server.address() as AddressInfo).port
}

const message = () =>
  one<{ id: number }>(
    db.pool,
    `with m as (insert into rappel.message (workflow, action, message_id, sender, subject, html, body, state, next_at, changed_at, created_at)
       select id, 'tell', '<1@office.example>', '{"address": "a@office.example", "name": null}', 'S', '', 'B', 'queued', now(), now(), now() from rappel.workflow returning id)
     insert into rappel.message_recipient (message, position, part, address, state) select id, 0, 'to', 'p@x.example', 'open' from m returning message as id`,
  )

test('a channel that answers with a NUL is tried again later, not at once for ever', async () => {
  const port = await talking((socket) =>
    socket.once('data', () => {
      asked++
      socket.end(Buffer.from('HTTP/1.1 503 not\u0000now\r\ncontent-length: 0\r\n\r\n', 'latin1'))
    }),
  )
  await putChannel(db.pool, 'Quays', `http://127.0.0.1:${port}/`, 'a secret of some length')
  await db.pool.query(
    `insert into rappel.run (workflow, version, kind, state, depth, at, changed_at, tbl, rec, title, why, trace, key) select id, 1, 'changed', 'done', 0, now(), now(), 'claims', '1', 'T', '', '{}', 'k' from rappel.workflow`,
  )
  await db.pool.query(
    `insert into rappel.notice (run, workflow, channel, title, body, state, next_at, created_at) select id, workflow, 'Quays', 'T', '', 'queued', now(), now() from rappel.run`,
  )
  await giveNotices(db.pool, BASE_URL, () => new Date())
  await giveNotices(db.pool, BASE_URL, () => new Date())
  expect(asked).toBe(1)
  expect(await many(db.pool, 'select state, attempt, last_reply from rappel.notice')).toEqual([{ state: 'queued', attempt: 1, last_reply: '503 notnow' }])
})

test('a mail server that refuses with a NUL refuses once, and its address is noted as bad', async () => {
  const port = await talking((socket) => {
    socket.write('220 here\r\n')
    socket.on('data', (bytes) => {
      const said = bytes.toString('latin1')
      if (/^RCPT/im.test(said)) asked++
      socket.write(/^RCPT/im.test(said) ? '550 5.1.1 nobody\u0000here\r\n' : '250 fine\r\n')
    })
  })
  await message()
  const worker = await registerWorker(db.pool, 'test', process.pid)
  const transport = createTransport(`smtp://127.0.0.1:${port}`, 1)
  const delivery = new Delivery(
    db.pool,
    oneWay(transport),
    () => worker,
    () => new Date(),
  )
  await until('the attempt', async () => {
    await delivery.pump()
    await delivery.settle()
    return (await one<{ state: string }>(db.pool, 'select state from rappel.message')).state === 'failed'
  })
  transport.close()
  expect(asked).toBe(1)
  expect(await many(db.pool, 'select address, reason from rappel.suppression')).toEqual([{ address: 'p@x.example', reason: expect.stringContaining('5.1.1 nobodyhere') }])
})

test('a report of delivery with NULs where ids and words stand is passed over, and keeps none after it waiting', async () => {
  const { id } = await message()
  await db.pool.query(`update rappel.message set state = 'sent', finished_at = now(); update rappel.message_recipient set state = 'sent'`)
  const take = { pool: db.pool, address: null, secret: () => '', clock: () => new Date(), tell: () => undefined }
  const report = (messageId: string, words: string) =>
    Buffer.from(
      `From: mailer@x.example\r\nTo: a@office.example\r\nMIME-Version: 1.0\r\nContent-Type: multipart/report; report-type=delivery-status; boundary="B"\r\n\r\n--B\r\nContent-Type: message/delivery-status\r\n\r\nReporting-MTA: dns; x.example\r\n\r\nFinal-Recipient: rfc822; p@x.example\r\nAction: failed\r\nStatus: 5.1.1\r\nDiagnostic-Code: smtp; ${words}\r\n\r\n--B\r\nContent-Type: message/rfc822\r\n\r\nMessage-ID: ${messageId}\r\n\r\ntext\r\n--B--\r\n`,
    )
  expect(await takeMail(take, report('<1\u0000@office.example>', 'x'))).toBe(0)
  expect(await takeMail(take, report('<1@office.example>', '550 no\u0000body'))).toBe(1)
  expect(await many(db.pool, 'select message, diagnostic from rappel.bounce')).toEqual([{ message: id, diagnostic: '550 nobody' }])
})
