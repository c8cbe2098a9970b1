import fc from 'fast-check'
import { readReport } from './report'

const lines = (text: string) => Buffer.from(text.trim().replaceAll('\n', '\r\n'))

/** A report of delivery by RFC 3464 in a multipart/report of RFC 6522, about one message. */
const report = (groups: string, returned = 'Message-ID: <1@office.example>\nSubject: S') =>
  lines(`
From: Mail Delivery Subsystem <MAILER-DAEMON@cs.utk.example>
To: bounces+7-abc@office.example
Auto-Submitted: auto-generated (failure)
MIME-Version: 1.0
Content-Type: multipart/report; report-type=delivery-status; boundary="B"

--B

It was not possible.

--B
Content-Type: message/delivery-status

${groups}

--B
Content-Type: message/rfc822

${returned}

text
--B--`)

// Source: RFC 3464, the multiple-recipient example of its appendix, its addresses changed; from memory.
const SEVERAL = `Reporting-MTA: dns; cs.utk.example

Original-Recipient: rfc822;arathib@vnet.example
Final-Recipient: rfc822;arathib@vnet.example
Action: failed
Status: 5.0.0 (permanent failure)
Diagnostic-Code: smtp;  550 'arathib@vnet.example' is not a
 registered gateway user
Remote-MTA: dns; vnet.example

Original-Recipient: rfc822;johnh@hpnjld.example
Final-Recipient: rfc822;johnh@hpnjld.example
Action: delayed
Status: 4.0.0 (hpnjld.example: host name lookup failure)

Original-Recipient: rfc822;wsnell@sdcc13.example
Final-Recipient: rfc822;wsnell@sdcc13.example
Action: failed
Status: 5.0.0
Diagnostic-Code: smtp; 550 user unknown
Remote-MTA: dns; sdcc13.example

Final-Recipient: rfc822;fine@there.example
Action: relayed
Status: 2.0.0`

test('each recipient of a report is read, and what was relayed or delivered is no bounce', async () => {
  expect(await readReport(report(SEVERAL))).toEqual({
    kind: 'report',
    messageId: '<1@office.example>',
    to: ['bounces+7-abc@office.example'],
    bounces: [
      { address: 'arathib@vnet.example', action: 'failed', status: '5.0.0', diagnostic: "550 'arathib@vnet.example' is not a registered gateway user" },
      { address: 'johnh@hpnjld.example', action: 'delayed', status: '4.0.0', diagnostic: '' },
      { address: 'wsnell@sdcc13.example', action: 'failed', status: '5.0.0', diagnostic: '550 user unknown' },
    ],
  })
})

// Source: RFC 3834 section 5.1 (Auto-Submitted: auto-replied), and common practice without a source for Precedence.
test.each([
  ['Auto-Submitted: auto-replied', 'automatic'],
  ['Precedence: bulk', 'automatic'],
  ['X-Other: y', 'other'],
])('mail with %s is no report', async (header, kind) => {
  expect(
    await readReport(lines(`From: ines@office.example\n${header}\nSubject: Out of office: failed 5.1.1\n\nFinal-Recipient: rfc822; a@x.example\nAction: failed\nStatus: 5.1.1`)),
  ).toEqual({ kind })
})

test('a report without a status, with nonsense, or cut short tells no more than it says', async () => {
  expect(await readReport(report('Reporting-MTA: dns; x\n\nFinal-Recipient: rfc822; a@x.example\nAction: FAILED'))).toMatchObject({
    bounces: [{ address: 'a@x.example', action: 'failed', status: '5.0.0' }],
  })
  expect(await readReport(report('', 'no headers'))).toMatchObject({ kind: 'report', bounces: [], messageId: null })
  const whole = report(SEVERAL)
  await fc.assert(
    fc.asyncProperty(fc.nat(whole.length), fc.uint8Array({ maxLength: 40 }), async (at, noise) => {
      const read = await readReport(Buffer.concat([whole.subarray(0, at), Buffer.from(noise), whole.subarray(at)]))
      expect(['report', 'automatic', 'other']).toContain(read.kind)
    }),
    { numRuns: 200 },
  )
})

test('a report of a hundred thousand recipients, and one nested without end, are read in bounds', async () => {
  const many = Array.from({ length: 100_000 }, (_, i) => `Final-Recipient: rfc822; a${i}@x.example\nAction: failed\nStatus: 5.1.1`).join('\n\n')
  const read = await readReport(report(`Reporting-MTA: dns; x\n\n${many}`))
  expect(read.kind === 'report' && read.bounces.length).toBe(100)
  let nested = 'end'
  for (let i = 0; i < 500; i++) nested = `Content-Type: multipart/mixed; boundary="b${i}"\r\n\r\n--b${i}\r\n${nested}\r\n--b${i}--`
  expect((await readReport(Buffer.from(nested))).kind).toBe('other')
})

test('a report that returns ten megabytes is read as one that returns little', async () => {
  const large = `Message-ID: <1@office.example>\nSubject: S\n\n${'x'.repeat(76)}\n`.concat(`${'x'.repeat(76)}\n`.repeat(130_000))
  expect(await readReport(report(SEVERAL, large))).toEqual(await readReport(report(SEVERAL)))
})
