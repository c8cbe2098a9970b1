import { expect, test } from '@playwright/test'
import { api, linkIn, POST_ROOM } from './installation'
import { INES, signIn } from './people'

/** What recipients say for themselves, and what administrators see and do about who gets what. */

const NAME = 'Claims told outside'
const PATH = `/api/v1/workflows/${encodeURIComponent(NAME)}`
const OUTSIDE = 'desk@harbour-broker.example'
/** It writes to its owners nearly each day, so that a digest always makes it less. */
const HANDED_OVER = 'Enquiry handed over'
const HANDED_OVER_PATH = `/api/v1/workflows/${encodeURIComponent(HANDED_OVER)}`

test.afterAll(() => api('DELETE', PATH))

const document = (limits: object) => ({
  rappel: 'workflow/1',
  name: NAME,
  table: 'claims',
  cue: { kind: 'record', on: ['created', 'changed'] },
  firing: 'every',
  conditions: { all: [{ field: 'number', op: 'starts with', value: 'SAY-' }] },
  actions: [{ name: 'tell', do: 'email', to: [{ field: 'owner' }, { address: OUTSIDE }], delivery: 'each', subject: 'Told {{ claim.number }}', body: 'B', format: 'plain' }],
  limits,
})
const claim = async (number: string) => {
  const people = (await api('GET', '/api/v1/people')).body.people as unknown as { id: number; email: string }[]
  const made = await api('POST', '/api/v1/records/claims', { number, kind: 'Baggage', status: 'New', owner: people.find((p) => p.email === INES)?.id })
  expect(made.status).toBe(201)
  return made.body as unknown as { id: number }
}
const mailOf = async (address: string) =>
  ((await (await fetch(`${POST_ROOM}/messages?to=${encodeURIComponent(address)}`)).json()) as { messages: { subject: string; raw: string }[] }).messages.filter((m) =>
    m.subject.startsWith('Told '),
  )
const subjects = async (address: string) => (await mailOf(address)).map((m) => m.subject)

test('somebody outside says stop behind “why you got this”; one signed in has the mail gathered; administrators see it and take it back', async ({ page, browser }) => {
  await api('PUT', PATH, document({ mayStop: true, mayGather: true }))
  expect((await api('POST', `${PATH}/live`)).status).toBe(200)
  await claim('SAY-1')
  await expect.poll(() => subjects(OUTSIDE)).toEqual(['Told SAY-1'])
  await expect.poll(() => subjects(INES)).toContain('Told SAY-1')

  const stranger = await (await browser.newContext()).newPage()
  await stranger.goto(linkIn((await mailOf(OUTSIDE))[0]?.raw ?? '', 'why') ?? '/nowhere')
  await stranger.getByRole('link', { name: 'Say stop' }).click()
  await expect(stranger.getByRole('heading', { name: `No more mail of “${NAME}”` })).toBeVisible()
  await stranger.getByRole('button', { name: 'Send me no more of these' }).click()
  await expect(stranger.getByRole('status')).toContainText(`${OUTSIDE} gets no more of these.`)
  await stranger.context().close()

  await signIn(page, INES)
  await page.goto('/account')
  const own = page.getByRole('listitem').filter({ hasText: NAME })
  await expect(own.getByText('1 mail')).toBeVisible()
  await own.getByRole('combobox').click()
  await page.getByRole('option', { name: /^gathered at/ }).click()
  await expect(page.getByText(/From now on it comes gathered/)).toBeVisible()

  const second = await claim('SAY-2')
  const runs = async () =>
    ((await api('GET', `/api/v1/runs?workflow=${encodeURIComponent(NAME)}`)).body.runs as unknown as { id: number; record: number }[]).filter((r) => r.record === second.id)
  await expect.poll(async () => (await runs()).length).toBe(1)
  await signIn(page)
  await page.goto(`/runs/${(await runs())[0]?.id}`)
  await expect(page.getByText(`Not sent to ${OUTSIDE}: they said stop`)).toBeVisible()
  expect(await subjects(OUTSIDE)).toEqual(['Told SAY-1'])
  expect(await subjects(INES)).not.toContain('Told SAY-2')

  await page.goto(`/workflows/${encodeURIComponent(NAME)}`)
  await page.getByRole('button', { name: 'Pause' }).click()
  await expect(page.getByRole('alertdialog')).toContainText('1 mail that its limits hold is kept while it is paused')
  await page.getByRole('button', { name: 'Leave it live' }).click()
  await expect(page.getByText('Live, version 1')).toBeVisible()

  await page.goto('/settings')
  const stops = page.getByRole('listitem').filter({ hasText: OUTSIDE })
  await stops.getByRole('button', { name: 'Take back' }).click()
  await expect(stops).toHaveCount(0)
  await claim('SAY-3')
  await expect.poll(() => subjects(OUTSIDE)).toEqual(['Told SAY-1', 'Told SAY-3'])
})

test('who gets what leads to a person, to the limit that would halve it, and into the draft; the brief shows the fullest digest', async ({ page }) => {
  await signIn(page)
  await page.goto('/people/mail')
  await page.getByRole('link', { name: 'Ines Okafor' }).first().click()
  await expect(page.getByRole('heading', { name: 'Ines Okafor' })).toBeVisible()
  const most = page.getByRole('listitem').filter({ has: page.getByRole('link', { name: HANDED_OVER, exact: true }) })
  const lessen = most.getByRole('button', { name: /^(What would halve it|Fold)$/ })
  if ((await lessen.getAttribute('aria-expanded')) === 'false') await lessen.click()
  const before = (await api('GET', HANDED_OVER_PATH)).body.draft as unknown as object
  await most.getByRole('button', { name: 'Put into the draft' }).first().click()
  await expect(page).toHaveURL(/\/workflows\//)
  await expect(page.getByText('Edits saved, not yet live')).toBeVisible()
  expect((await api('PUT', HANDED_OVER_PATH, before)).status).toBe(200)

  await page.goto('/workflows/Drawn%20from%20the%20stores%20today')
  await page.getByText(/^The fullest digest:/).click()
  await expect(page.frameLocator('iframe[title^="The mail"]').first().getByRole('link', { name: 'why' }).first()).toBeVisible()
})
