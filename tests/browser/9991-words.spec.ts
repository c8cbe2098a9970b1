import { expect, type Page, test } from '@playwright/test'
import { Hand } from './hand'
import { api, POST_ROOM, subjectsTo } from './installation'
import { MAREN, RAFI, signIn } from './people'

/** Workflows said in words: what thirteen jobs cost by hand, each done in its shortest way by somebody who has not seen it before. */

/** Tells this run’s mail from that of others. */
const STAMP = Date.now().toString(36)
const at = (name: string) => `${name}-${STAMP}@words.example`

const TEMPLATE = `Yours now ${STAMP}`

const made: string[] = []
/** What each job cost, and what it may. */
const costs: { readonly job: string; readonly cost: number; readonly most: number }[] = []

const field = (page: Page) => page.getByRole('textbox', { name: 'Make a workflow by saying it' })

test.beforeEach(async ({ page }) => {
  await signIn(page)
  await page.goto('/')
})
test.afterAll(async () => {
  console.log(costs.map(({ job, cost, most }) => `${String(cost).padStart(3)} of at most ${String(most).padStart(2)}  ${job}`).join('\n'))
  for (const name of made) await api('DELETE', `/api/v1/workflows/${encodeURIComponent(name)}`)
})

/** Holds what a job cost. */
function hold(job: string, hand: Hand, most: number): void {
  costs.push({ job, cost: hand.count, most })
  expect(hand.count, job).toBeLessThanOrEqual(most)
}

/** Waits until the workflow of the page that is open is live, and remembers to take it away. */
async function isLive(page: Page): Promise<void> {
  await expect(page.getByText('Live, version 1')).toBeVisible()
  made.push(await page.getByLabel('Name of the workflow').inputValue())
}

/** Says a workflow in a field, and sends it live: the sentence, Ctrl Enter, and Enter to the question. */
async function say(page: Page, hand: Hand, where: ReturnType<typeof field>, sentence: string): Promise<void> {
  await hand.type(where, sentence)
  await sendLive(page, hand)
}

async function sendLive(page: Page, hand: Hand): Promise<void> {
  await expect(page.getByRole('list', { name: /^Brief of/ })).toBeVisible()
  await expect(page.getByRole('list', { name: 'Not understood' })).toHaveCount(0)
  await hand.press('Control+Enter')
  await expect(page.getByRole('alertdialog').getByRole('button', { name: 'Send it live' })).toBeFocused()
  await hand.press('Enter')
  await isLive(page)
}

let people: ReadonlyMap<string, number> = new Map()
/** A record with people by their e-mails, as documents name them. */
const known = (record: object) => Object.fromEntries(Object.entries(record).map(([name, value]) => [name, people.get(String(value)) ?? value]))

/** Creates a record, as another program does; answers its id. */
async function create(table: string, record: object): Promise<number> {
  if (people.size === 0) people = new Map(((await api('GET', '/api/v1/people')).body.people as unknown as { id: number; email: string }[]).map((p) => [p.email, p.id]))
  const { status, body } = await api('POST', `/api/v1/records/${table}`, known(record))
  expect([status, body]).toEqual([201, expect.anything()])
  return body.id as unknown as number
}
/** Changes a record, as another program does. */
const change = async (table: string, id: number, set: object) => expect((await api('PATCH', `/api/v1/records/${table}/${id}`, known(set))).status).toBe(200)

interface Mail {
  readonly subject: string
  readonly raw: string
}
/** The mail to an address whose subject has a text, with its source as one text. */
async function mailTo(address: string, about: string): Promise<Mail | undefined> {
  const { messages } = (await (await fetch(`${POST_ROOM}/messages?to=${encodeURIComponent(address)}`)).json()) as { messages: Mail[] }
  const found = messages.findLast((m) => m.subject.includes(about))
  return found && { ...found, raw: found.raw.replaceAll('=\r\n', '') }
}
const gets = (address: string, about: string) => expect.poll(async () => (await subjectsTo(address)).some((s) => s.includes(about))).toBe(true)

const passenger = (name: string) =>
  create('passengers', { name, first_name: name.split(' ')[0], last_name: name.split(' ')[1], email: at(name.split(' ')[0]?.toLowerCase() ?? ''), phone: '01550 777' })

test('a claim is created: its passenger’s and its owner’s facts to the owner', async ({ page }) => {
  const hand = new Hand(page)
  await say(page, hand, field(page), 'when a claim is created email its owner with its passenger’s name and phone, and its owner’s team')
  hold('claim created: facts of its passenger and owner to the owner', hand, 5)
  const id = await create('claims', { kind: 'Refund', passenger: await passenger('Wanda Words'), owner: RAFI })
  const { body } = await api('GET', `/api/v1/records/claims/${id}`)
  const number = String((body.record as unknown as { number: string })?.number ?? (body as unknown as { number: string }).number)
  await gets(RAFI, `New claim ${number}`)
  const mail = await mailTo(RAFI, `New claim ${number}`)
  for (const fact of ['Wanda Words', '01550 777', 'Office']) expect(mail?.raw).toContain(fact)
})

test('straight from a list: a task is done, to somebody by name; an item is deleted, to me', async ({ page }) => {
  await page.goto('/records/tasks')
  await expect(page.getByText(/\d+ in all/)).toBeVisible()
  const hand = new Hand(page)
  await hand.click(page.getByRole('button', { name: 'Tell somebody when …' }))
  await say(page, hand, page.getByRole('textbox', { name: 'Tell somebody when …' }), 'it is done tell Rafi Demir')
  await hand.press('Control+k')
  await hand.type(page.getByPlaceholder(/or when/), 'when an item is deleted tell me')
  await sendLive(page, hand)
  hold('straight from a list: two rules', hand, 8)
  const task = await create('tasks', { subject: `Fetch the keys ${STAMP}` })
  await change('tasks', task, { done: true })
  await gets(RAFI, `Fetch the keys ${STAMP}`)
  const item = await create('items', { item: `Old lantern ${STAMP}` })
  await api('DELETE', `/api/v1/records/items/${item}`)
  await gets(MAREN, `Old lantern ${STAMP}`)
})

test('what is done stands first: to a channel and to me, unless; what one workflow cannot say is marked at its word', async ({ page }) => {
  const hand = new Hand(page)
  await hand.type(field(page), 'tell me when a claim is created or its amount is over 500')
  await expect(page.getByRole('list', { name: 'Not understood' })).toContainText('make two')
  await field(page).fill('')
  await say(page, hand, field(page), 'tell me and Rafi Demir when a claim of kind Refund is reported, unless its amount is over 500')
  const named = (kind: string, amount: number) => create('claims', { kind, amount })
  const numberOf = async (id: number) => String((await api('GET', `/api/v1/records/claims/${id}`)).body.number)
  const [large, other, small] = [await named('Refund', 501), await named('Baggage', 5), await named('Refund', 5)]
  await gets(RAFI, `New claim ${await numberOf(small)}`)
  const subjects = await subjectsTo(RAFI)
  for (const id of [large, other]) expect(subjects).not.toContain(`New claim ${await numberOf(id)}`)
})

test('for each booking of a sailing that is late, its passenger, blanks left out', async ({ page }) => {
  const hand = new Hand(page)
  await say(page, hand, field(page), 'when a sailing becomes Late, for each booking where passenger’s email is filled email its passenger saying its reference')
  hold('for each booking of a late sailing: its passenger', hand, 10)
  const sailing = await create('sailings', { route: 'Holm – Brae', status: 'Planned' })
  await create('bookings', { sailing, passenger: await passenger('Lotte Late') })
  await create('bookings', { sailing, passenger: await create('passengers', { name: 'Nobody Mail' }) })
  await change('sailings', sailing, { status: 'Late' })
  await gets(at('lotte'), 'is Late')
})

test('an enquiry is won: a date, a mail, an inspection for whom was looked up, and a branch on the value', async ({ page }) => {
  const hand = new Hand(page)
  await say(
    page,
    hand,
    field(page),
    'when an enquiry becomes Won set date wanted to today, email its owner, bring in vessels where name is Gannet, as found, for each of found create an inspection with inspector its superintendent, due in 2 days; if value is over £5,000 tell the directors, otherwise tell whoever made the change',
  )
  hold('enquiry won: date, mail, inspection for whom was looked up, branch', hand, 20)
  const { body: vessels } = await api('GET', '/api/v1/records/vessels?limit=100')
  const gannet = (vessels.records as unknown as { name: string }[]).some((v) => v.name === 'Gannet') ? null : await create('vessels', { name: 'Gannet', superintendent: RAFI })
  const enquiry = await create('enquiries', { stage: 'New', value: 9000, owner: RAFI })
  await change('enquiries', enquiry, { stage: 'Won' })
  await gets('sunniva.hald@ternsay-ferries.example', 'is Won')
  await gets(RAFI, 'is Won')
  const { body } = await api('GET', `/api/v1/records/enquiries/${enquiry}`)
  expect(JSON.stringify(body)).toContain(new Date().toISOString().slice(0, 10))
  if (gannet !== null) await api('DELETE', `/api/v1/records/vessels/${gannet}`)
})

test('a defect that stops sailing: Cc and Bcc from the record', async ({ page }) => {
  const hand = new Hand(page)
  await say(page, hand, field(page), 'when a defect becomes Stops sailing email its engineer, copy to found by, blind copy to its vessel’s superintendent')
  hold('defect that stops sailing: Cc and Bcc from the record', hand, 7)
  const vessel = await create('vessels', { name: 'Petrel Words', superintendent: 'duncan.aird@ternsay-ferries.example' })
  const defect = await create('defects', { severity: 'Minor', vessel, engineer: 'idris.penhale@ternsay-ferries.example', found_by: RAFI })
  await change('defects', defect, { severity: 'Stops sailing' })
  await gets('duncan.aird@ternsay-ferries.example', 'is Stops sailing')
  await gets(RAFI, 'is Stops sailing')
  const hidden = await mailTo('duncan.aird@ternsay-ferries.example', 'is Stops sailing')
  expect(hidden?.raw.split('\r\n\r\n')[0]).not.toMatch(/duncan/i)
})

test('a claim is created or changed and becomes Settled: a mail, and a task due in two days', async ({ page }) => {
  const hand = new Hand(page)
  await say(page, hand, field(page), 'when a claim is created or changed and becomes Settled email its passenger, task for its owner in 2 days')
  hold('claim becomes Settled: mail and task', hand, 12)
  const claim = await create('claims', { kind: 'Delay', status: 'Settled', passenger: await passenger('Sett Led'), owner: RAFI })
  await gets(at('sett'), 'is Settled')
  await expect.poll(async () => JSON.stringify((await api('GET', '/api/v1/records/tasks?limit=200')).body)).toContain('Follow up CL-')
  expect(claim).toBeGreaterThan(0)
})

test('a claim is handed to somebody else: the new owner, by a rich template of one’s own, and by a short text', async ({ page }) => {
  const short = new Hand(page)
  await say(page, short, field(page), 'when a claim is handed to somebody else email its new owner saying “{{ claim.number }} is yours now, please call {{ claim.passenger }}”')
  hold('claim handed over: a short text', short, 4)

  await page.goto('/')
  const hand = new Hand(page)
  await hand.type(field(page), 'when a claim is handed to somebody else email its new owner')
  await expect(page.getByRole('list', { name: /^Brief of/ })).toBeVisible()
  await hand.press('Enter')
  await hand.click(page.getByRole('button', { name: /^line 3, email/ }))
  await hand.type(page.getByLabel('Subject'), `Yours ${STAMP}: {{ claim.number }}`)
  const body = page.getByRole('textbox', { name: 'Body' })
  await hand.type(body, 'Please call them today.')
  await hand.press('Control+a')
  await hand.press('Control+b')
  await expect(page).toHaveURL(/\/workflows\/(?!new)/) // it is kept by now, under an address of its own
  await hand.click(page.getByRole('button', { name: 'Keep this text as a template' }))
  await hand.type(page.getByLabel('Name of the template'), TEMPLATE)
  await hand.press('Enter')
  await page.waitForLoadState('networkidle')
  await expect(page.getByRole('combobox', { name: 'Says' })).toContainText(TEMPLATE) // the line stays open
  await hand.press('Control+Enter')
  await expect(page.getByRole('alertdialog').getByRole('button', { name: 'Send it live' })).toBeFocused()
  await hand.press('Enter')
  await isLive(page)
  hold('claim handed over: a rich template', hand, 12)
  const claim = await create('claims', { kind: 'Delay', owner: MAREN })
  await change('claims', claim, { owner: RAFI })
  await gets(RAFI, `Yours ${STAMP}: CL-`)
  expect((await mailTo(RAFI, `Yours ${STAMP}: CL-`))?.raw).toContain('<strong>Please call them today.</strong>')
})

test('a document is added to Minutes: me, its name and path', async ({ page }) => {
  const hand = new Hand(page)
  await say(page, hand, field(page), 'when a document is added to Minutes tell me its name and folder')
  hold('document added to Minutes: me, name and path', hand, 5)
  await create('documents', { name: `Minutes of May ${STAMP}`, folder: 'Minutes/2026' })
  await gets(MAREN, `New document Minutes of May ${STAMP}`)
  expect((await mailTo(MAREN, `New document Minutes of May ${STAMP}`))?.raw).toContain('Minutes/2026')
})

test('status changed to Offer made where kind is Vehicle damage', async ({ page }) => {
  const hand = new Hand(page)
  await say(page, hand, field(page), 'when a claim’s status changes to Offer made and kind is Vehicle damage email its owner')
  hold('status changed to Offer made where kind is Vehicle damage', hand, 8)
  const claim = await create('claims', { kind: 'Vehicle damage', status: 'New', owner: RAFI })
  await change('claims', claim, { status: 'Offer made' })
  await gets(RAFI, 'is Offer made')
})

test('a claim is created: an acknowledgement to the passenger from its owner, template, attachment, high', async ({ page }) => {
  const hand = new Hand(page)
  await say(page, hand, field(page), 'when a claim is created email its passenger from its owner, template Acknowledgement, attach Conditions of carriage.pdf, high priority')
  hold('claim created: acknowledgement from its owner, attachment, high', hand, 9)
  await create('claims', { kind: 'Baggage', passenger: await passenger('Ack Nowledge'), owner: RAFI })
  await gets(at('ack'), 'We have your claim')
  const mail = await mailTo(at('ack'), 'We have your claim')
  expect(mail?.raw).toMatch(/Importance: high/i)
  expect(mail?.raw).toContain('Conditions of carriage.pdf')
  expect(mail?.raw).toMatch(/^From: .*Rafi Demir/m)
})

test('an enquiry is won: every contact of its company', async ({ page }) => {
  const hand = new Hand(page)
  await say(page, hand, field(page), 'when an enquiry is won email every contact of its company')
  hold('enquiry won: every contact of its company', hand, 6)
  const company = await create('companies', { name: 'Words & Sons' })
  for (const who of ['ann', 'bob']) await create('contacts', { name: who, email: at(who), company })
  const enquiry = await create('enquiries', { stage: 'New', company })
  await change('enquiries', enquiry, { stage: 'Won' })
  for (const who of ['ann', 'bob']) await gets(at(who), 'is Won')
})

test('a sailing is late: each booking’s passenger, with words from both', async ({ page }) => {
  const hand = new Hand(page)
  await say(page, hand, field(page), 'when a sailing becomes Late email each booking’s passenger saying its reference, and the sailing’s route')
  hold('sailing late: each booking’s passenger, words from both', hand, 10)
  const sailing = await create('sailings', { route: 'Ternsay – Holm', status: 'Planned' })
  const booking = await create('bookings', { sailing, passenger: await passenger('Both Words') })
  const { body } = await api('GET', `/api/v1/records/bookings/${booking}`)
  await change('sailings', sailing, { status: 'Late' })
  await gets(at('both'), 'is Late')
  const mail = await mailTo(at('both'), 'is Late')
  expect(mail?.raw).toContain(/BK-\d+/.exec(JSON.stringify(body))?.[0] ?? 'BK-')
})

test('an enquiry is added or handed over: its owner through a link', async ({ page }) => {
  const hand = new Hand(page)
  await say(page, hand, field(page), 'when an enquiry is added or handed over email its owner’s manager')
  hold('enquiry added or handed over: through a link', hand, 8)
  await create('enquiries', { stage: 'New', owner: RAFI })
  await gets('ines.okafor@ternsay-ferries.example', 'EN-')
})

test('in a text, two braces offer placeholders with their values, and Enter puts one in', async ({ page }) => {
  await page.goto('/workflows/new?table=claims&starter=added')
  const subject = page.getByLabel('Subject')
  await subject.fill('')
  await subject.pressSequentially('About {{ pass na')
  await expect(page.getByRole('option', { name: /^claim’s passenger’s name/ })).toHaveAttribute('aria-selected', 'true')
  await expect(page.getByRole('option', { name: /previous/ })).toHaveCount(0) // of a claim that is created there is nothing before
  await page.keyboard.press('Enter')
  await expect(subject).toHaveValue('About {{ claim.passenger.name }}')
})

test('a sentence is kept while the page is left, its marks and ways are shown, and a brief that is pasted is read', async ({ page }) => {
  await field(page).fill('when a claim is over 500 frobnicate its owner')
  await expect(page.getByRole('list', { name: 'Not understood' })).toContainText('frobnicate')
  await page.getByRole('radio', { name: 'offer' }).check()
  await expect(page.getByRole('list', { name: /^Brief of/ })).toContainText('offer is more than £500.00')
  await page.getByRole('navigation', { name: 'Places' }).getByRole('link', { name: 'Runs' }).click()
  await expect(page).toHaveURL(/\/runs/)
  await page.goBack()
  await expect(field(page)).toHaveValue(/frobnicate/)
  await field(page).fill('when a claim becomes Set')
  await field(page).press('Tab')
  await expect(field(page)).toHaveValue('when a claim becomes Settled ')
  const text = await (await page.request.get(`/api/v1/workflows/${encodeURIComponent('Sailing cancelled')}/export?format=text`)).text()
  await field(page).fill(text)
  await expect(page.getByRole('list', { name: 'Brief of Sailing cancelled' })).toContainText(/booked is at least [\d,]+/.exec(text)?.[0] ?? 'its limit')
  await expect(page.getByRole('list', { name: 'Not understood' })).toHaveCount(0)
  await field(page).fill('')
})
