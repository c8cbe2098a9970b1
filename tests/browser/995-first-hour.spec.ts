import type { AddressInfo } from 'node:net'
import { expect, test } from '@playwright/test'
import { SMTPServer } from 'smtp-server'
import { Hand } from './hand'
import { startEmpty } from './installation'

/** An administrator's first hour, from an installation without anything in it. */

test.describe.configure({ mode: 'serial' })

const ME = 'ada.frost@harbour-office.example'
const PASSWORD = 'nine quiet lanterns'
const ROWS = [
  'Visit\tGuest\tArrives\tFee\tState',
  ...Array.from({ length: 30 }, (_, i) => `HV-${String(i + 1).padStart(3, '0')}\tGuest ${i + 1}\t${(i % 27) + 1}/12/2026\t£${i * 10}.00\t${i % 3 ? 'Asked' : 'Confirmed'}`),
].join('\n')

let empty: Awaited<ReturnType<typeof startEmpty>>
test.beforeAll(async () => {
  empty = await startEmpty()
})
test.afterAll(() => empty.stop())

test('from nothing to one’s own first alert in the mailbox, in at most 20 interactions and five minutes', async ({ browser }) => {
  const context = await browser.newContext({ baseURL: empty.base, permissions: ['clipboard-read', 'clipboard-write'] })
  const page = await context.newPage()
  const hand = new Hand(page)
  const begun = Date.now()
  await page.goto('/')
  for (const [label, text] of [
    ['Organisation', 'Harbour Office'],
    ['Your name', 'Ada Frost'],
    ['Your e-mail', ME],
    ['Password', PASSWORD],
  ] as const)
    await hand.type(page.getByLabel(label, { exact: true }), text)
  await hand.click(page.getByRole('button', { name: 'Create the administrator' }))
  await expect(page.getByRole('heading', { name: 'What should Harbour Office be told of?' })).toBeVisible()
  await expect(page.getByText('nothing leaves this machine')).toBeVisible()

  await page.evaluate((rows) => navigator.clipboard.writeText(rows), ROWS) // copied in the spreadsheet before
  await hand.press('Control+V')
  await expect(page.getByText('automatic number HV-{000}')).toBeVisible()
  await hand.type(page.getByLabel('What the table is called'), 'Visits')
  await expect(page.getByLabel('One of its records is a')).toHaveValue('visit')
  await expect(page.getByText('20 of 30 now')).toBeVisible()
  await hand.click(page.getByRole('radio', { name: 'state becomes Confirmed' }))
  const mail = page.getByRole('complementary', { name: 'Evidence' }).getByRole('article')
  await expect(mail).toContainText(`To ${ME}`)
  await expect(mail).toContainText('HV-001 is Confirmed')
  await hand.click(page.getByRole('button', { name: 'Make it, with 30 records' }))

  await expect(page.getByLabel('Name of the workflow')).toHaveValue('Visit: state becomes Confirmed')
  await hand.click(page.getByRole('button', { name: 'Send it live' }))
  await hand.click(page.getByRole('alertdialog').or(page.getByRole('dialog')).getByRole('button', { name: 'Send it live' }))
  await expect(page.getByText('Live, version 1')).toBeVisible()

  await hand.click(page.getByRole('navigation', { name: 'Places' }).getByRole('link', { name: 'Records' }))
  await hand.click(page.getByRole('link', { name: /^Visits/ }))
  await hand.click(page.getByRole('link', { name: 'HV-002' }))
  await hand.click(page.getByRole('button', { name: /Edit State/ }))
  await hand.click(page.getByRole('option', { name: 'Confirmed' }))
  await hand.click(page.getByRole('navigation', { name: 'Places' }).getByRole('link', { name: 'Post room' }))
  await expect(page.getByText('HV-002 is Confirmed').first()).toBeVisible()
  const seconds = (Date.now() - begun) / 1_000
  process.stdout.write(`The first alert took ${hand.count} interactions and ${Math.round(seconds)} s of the browser’s time.\n`)
  expect(hand.count).toBeLessThanOrEqual(20)
  expect(seconds).toBeLessThan(300)
  await context.storageState({ path: 'test-results/first-hour.json' })
  await context.close()
})

test('the mail server is set and tried in Settings: the server’s own words are shown, and what is sent next goes there', async ({ browser }) => {
  const arrived: string[] = []
  const server = new SMTPServer({
    logger: false,
    onAuth: ({ username, password }, _session, done) =>
      password === 'right' ? done(null, { user: username }) : done(Object.assign(new Error('5.7.8 Not you'), { responseCode: 535 })),
    onData(stream, _session, done) {
      let source = ''
      stream.on('data', (chunk: Buffer) => (source += chunk.toString('latin1')))
      stream.on('end', () => {
        arrived.push(source)
        done(null)
      })
    },
  })
  await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve))
  const context = await browser.newContext({ baseURL: empty.base, storageState: 'test-results/first-hour.json' })
  const page = await context.newPage()
  await page.goto('/settings')
  const section = page.getByRole('region', { name: 'Mail server' })
  await expect(section).toContainText('The post room takes the mail')
  await section.getByRole('button', { name: 'Set the mail server' }).click()
  await page.getByLabel('Host').fill('127.0.0.1')
  await page.getByLabel('Port').fill(String((server.server.address() as AddressInfo).port))
  await page.getByLabel('User', { exact: true }).fill('rappel')
  await page.getByLabel('Password of the mail server').fill('wrong')
  await page.getByLabel('Sign mail for the domain').fill('harbour-office.example')
  const send = section.getByRole('button', { name: 'Send me a test and use it' })
  await send.click()
  await expect(section.getByRole('alert')).toContainText('535 5.7.8 Not you')
  await page.getByLabel('Password of the mail server').fill('right')
  await send.click()
  await expect(section.getByRole('status')).toContainText('The server took the mail')
  await expect(section).toContainText('with STARTTLS, as rappel')
  await expect(section).toContainText('rappel._domainkey.harbour-office.example')
  expect(arrived.map((m) => /^Subject: (.*)\r$/m.exec(m)?.[1])).toEqual(['Harbour Office: mail goes out'])

  await page.goto('/records/visits')
  await page.getByRole('link', { name: 'HV-003' }).click()
  await page.getByRole('button', { name: /Edit State/ }).click()
  await page.getByRole('option', { name: 'Confirmed' }).click()
  await expect.poll(() => arrived.length).toBe(2)
  expect(arrived[1]).toMatch(/^DKIM-Signature: .*^Subject: HV-003 is Confirmed\r$/ms)
  await page.goto('/settings/audit')
  await expect(page.getByText('mail-server').first()).toBeVisible()
  expect(await page.content()).not.toContain('sealed:')
  await page.goto('/settings')
  await section.getByRole('button', { name: 'Back to the post room' }).click()
  await expect(section).toContainText('The post room takes the mail')
  await context.close()
  await new Promise<void>((resolve) => server.close(() => resolve())) // once the worker let go of it
})
