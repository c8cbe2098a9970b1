import { expect, test } from '@playwright/test'
import { api, POST_ROOM } from './installation'
import { signIn } from './people'

test.describe.configure({ mode: 'serial' })

/** What workflows name gets other names where it is edited; what names it goes along, once one has seen what. */

const NAME = 'Keys handed out'
const PATH = `/api/v1/workflows/${encodeURIComponent(NAME)}`
const OLD = 'key.keeper@ternsay-ferries.example'
const NEW = 'keys@ternsay-ferries.example'

const workflow = {
  rappel: 'workflow/1',
  name: NAME,
  table: 'claims',
  cue: { kind: 'record', on: ['created'] },
  conditions: { all: [{ field: 'number', op: 'starts with', value: 'KEY-' }] },
  actions: [
    { name: 'tell', do: 'email', to: [{ address: OLD }, { group: 'Key holders' }], from: { sender: 'keys desk' }, template: 'Keys' },
    { name: 'say', do: 'notice', channel: 'Key board', to: [{ team: 'Keys' }], text: 'Out' },
  ],
}
const live = async () => (await api('GET', PATH)).body as unknown as { state: string; version: number; live: typeof workflow }
const inForce = async () => (await live()).live.actions

test.beforeAll(async () => {
  await api('PUT', `/api/v1/people/${OLD}`, { name: 'Kim Keeper', first_name: 'Kim', last_name: 'Keeper', team: 'Keys' })
  await api('PUT', '/api/v1/groups/Key%20holders', { people: [OLD], addresses: [] })
  await api('PUT', '/api/v1/senders/keys%20desk', { display: 'The keys', address: 'keys.desk@ternsay-ferries.example' })
  await api('PUT', '/api/v1/channels/Key%20board', { url: `${POST_ROOM}/channels/Keys`, secret: 'the secret of the keys' })
  await api('PUT', '/api/v1/templates/Keys', { table: 'claims', subject: 'Keys {{ claim.number }}', body: 'B', format: 'plain' })
  await api('PUT', PATH, workflow)
  expect((await api('POST', `${PATH}/live`, {})).status).toBe(200)
})
test.afterAll(async () => {
  await api('DELETE', PATH)
  const either = [
    'groups/Key%20holders',
    'groups/Keepers',
    'senders/keys%20desk',
    'senders/key%20office',
    'channels/Key%20board',
    'channels/Board%20of%20keys',
    'templates/Keys',
    'templates/Keys%20given',
  ]
  for (const path of either) await api('DELETE', `/api/v1/${path}`)
  await api('DELETE', '/api/v1/figures/keys_out')
  for (const email of [OLD, NEW]) await api('POST', `/api/v1/people/${email}/deactivate`, {})
})

test('somebody’s e-mail is another: what names them is shown, goes along, and mail goes there', async ({ page }) => {
  await signIn(page)
  await page.goto(`/people#${OLD}`)
  const form = page.getByRole('form', { name: 'Change Kim Keeper' })
  await form.getByLabel('E-mail').fill(NEW)
  await form.getByLabel('Last name').fill('Kepler')
  await form.getByRole('button', { name: 'Save' }).click()
  const dialog = page.getByRole('alertdialog')
  await expect(dialog).toContainText(`Use ${NEW} everywhere?`)
  await expect(dialog).toContainText(NAME)
  await dialog.getByRole('button', { name: 'Leave it' }).click()
  await expect(dialog).toBeHidden()
  expect((await api('GET', `/api/v1/people/${OLD}`)).status).toBe(200)
  await form.getByRole('button', { name: 'Save' }).click()
  await dialog.getByRole('button', { name: 'Use it everywhere' }).click()
  await expect(page.getByText('Saved.')).toBeVisible()
  await expect(page.getByRole('list', { name: 'People' })).toContainText(NEW)
  expect((await api('GET', `/api/v1/people/${NEW}`)).body).toMatchObject({ name: 'Kim Kepler', team: 'Keys' })
  expect(await live()).toMatchObject({ state: 'live', version: 1, live: { actions: [{ to: [{ address: NEW }, {}] }, {}] } })
  expect((await api('POST', '/api/v1/records/claims', { number: 'KEY-1', kind: 'Baggage', status: 'New' })).status).toBe(201)
  const arrived = async () => ((await (await fetch(`${POST_ROOM}/messages?to=${NEW}`)).json()) as { messages: { subject: string }[] }).messages.map((m) => m.subject)
  await expect.poll(arrived).toEqual(['Keys KEY-1'])
})

test('a group and a team are renamed in People, and an address that somebody has is refused', async ({ page }) => {
  await signIn(page)
  await page.goto('/people')
  const groups = page.getByRole('list', { name: 'Groups' })
  await groups.getByRole('listitem').filter({ hasText: 'Key holders' }).getByRole('button', { name: 'Change' }).click()
  await page.getByLabel('Name of the group').fill('Keepers')
  await page.getByRole('form', { name: 'Change Key holders' }).getByRole('button', { name: 'Save' }).click()
  await page.getByRole('button', { name: 'Rename it everywhere' }).click()
  await expect(groups).toContainText('Keepers')
  const teams = page.getByRole('list', { name: 'Teams' })
  await teams.getByRole('listitem').filter({ hasText: 'Keys' }).getByRole('button', { name: 'Rename' }).click()
  await page.getByLabel('Name of the team').fill('Key people')
  await page.getByRole('form', { name: 'Rename Keys' }).getByRole('button', { name: 'Save' }).click()
  await page.getByRole('button', { name: 'Rename it everywhere' }).click()
  await expect(teams).toContainText('Key people')
  expect(await inForce()).toMatchObject([{ to: [{}, { group: 'Keepers' }] }, { to: [{ team: 'Key people' }] }])
  await page
    .getByRole('list', { name: 'People' })
    .getByRole('button', { name: /Kim Kepler/ })
    .click()
  const form = page.getByRole('form', { name: 'Change Kim Kepler' })
  await form.getByLabel('E-mail').fill('maren.voss@ternsay-ferries.example')
  await form.getByRole('button', { name: 'Save' }).click()
  await expect(page.getByText('Somebody here has the address maren.voss@ternsay-ferries.example already.')).toBeVisible()
})

test('a template is renamed where it is edited, a sender and a channel in Settings; what a workflow uses is not deleted', async ({ page }) => {
  await signIn(page)
  await page.goto('/templates/Keys')
  await page.getByLabel('Name of the template').fill('Keys given')
  await page.getByRole('button', { name: 'Save, also for those workflows' }).click()
  await page.getByRole('button', { name: 'Rename it everywhere' }).click()
  await expect(page).toHaveURL(/\/templates\/Keys%20given$/)
  await expect(page.getByText('Version 1')).toBeVisible()
  await page.goto('/settings')
  const senders = page.getByRole('region', { name: 'Sender identities' })
  await senders.getByRole('listitem').filter({ hasText: 'keys desk' }).getByRole('button', { name: 'Change' }).click()
  const sender = page.getByRole('form', { name: 'Change keys desk' })
  await sender.getByLabel('Called here').fill('key office')
  await sender.getByRole('button', { name: 'Save' }).click()
  await page.getByRole('button', { name: 'Rename it everywhere' }).click()
  await expect(senders.getByRole('listitem').filter({ hasText: 'key office' })).toBeVisible()
  const channels = page.getByRole('region', { name: 'Channels' })
  await channels.getByRole('listitem').filter({ hasText: 'Key board' }).getByRole('button', { name: 'Change' }).click()
  const channel = page.getByRole('form', { name: 'Change Key board' })
  await channel.getByLabel('Name of the channel').fill('Board of keys')
  await channel.getByRole('button', { name: 'Save' }).click()
  await page.getByRole('button', { name: 'Rename it everywhere' }).click()
  await expect(channels.getByRole('listitem').filter({ hasText: 'Board of keys' })).toBeVisible()
  expect(await inForce()).toMatchObject([{ template: 'Keys given', from: { sender: 'key office' } }, { channel: 'Board of keys' }])
  const used = ['groups/Keepers', 'templates/Keys%20given', 'senders/key%20office', 'channels/Board%20of%20keys']
  const deleted = async () => Promise.all(used.map(async (path) => [path, (await api('DELETE', `/api/v1/${path}`)).status]))
  expect(await deleted()).toEqual(used.map((path) => [path, 409]))
  await api('DELETE', PATH)
  await page.goto('/templates/Keys%20given')
  await page.getByRole('button', { name: 'Delete', exact: true }).click()
  await page.getByRole('button', { name: 'Delete it' }).click()
  await expect(page).toHaveURL(/\/templates$/)
  await page.goto('/people')
  await page.getByRole('list', { name: 'Groups' }).getByRole('listitem').filter({ hasText: 'Keepers' }).getByRole('button', { name: 'Change' }).click()
  await page.getByRole('button', { name: 'Delete', exact: true }).click()
  await page.getByRole('button', { name: 'Delete it' }).click()
  await expect(page.getByRole('list', { name: 'Groups' })).not.toContainText('Keepers')
  expect(await deleted()).toEqual([404, 404, 204, 204].map((status, i) => [used[i], status]))
})

test('a threshold that a live workflow waits for is not taken away without being asked; then Today and Workflows say so until it is back', async ({ page }) => {
  const figure = { rappel: 'figure/1', name: 'keys_out', label: 'Keys out', table: 'claims', of: { count: true }, where: { field: 'number', op: 'starts with', value: 'KEY-' } }
  const thresholds = [{ name: 'too many', when: 'above', value: 1000 }]
  await api('PUT', '/api/v1/figures/keys_out', { ...figure, thresholds })
  await api('PUT', PATH, {
    ...workflow,
    cue: { kind: 'figure', figure: 'keys_out', threshold: 'too many' },
    conditions: undefined,
    actions: [{ name: 'n', do: 'notice', to: [{ address: 'maren.voss@ternsay-ferries.example' }], text: 'x' }],
  })
  expect((await api('POST', `${PATH}/live`, {})).status).toBe(200)
  await signIn(page)
  await page.goto('/figures/keys_out')
  await page.getByRole('button', { name: 'Take it away' }).click()
  await page.getByRole('button', { name: 'Save', exact: true }).click()
  const dialog = page.getByRole('alertdialog')
  await expect(dialog).toContainText(NAME)
  await dialog.getByRole('button', { name: 'Save it, and break those' }).click()
  await expect(page.getByText('Saved. It is kept up from now on.')).toBeVisible()
  const matter = page.getByRole('article').filter({ hasText: `“${NAME}” cannot do what it says` })
  await expect(async () => {
    await page.goto('/')
    await expect(matter).toContainText('Keys out has no threshold "too many"', { timeout: 1_000 })
  }).toPass()
  const { workflows } = (await api('GET', '/api/v1/workflows')).body as unknown as { workflows: { name: string; broken?: string[] }[] }
  expect(workflows.find((w) => w.name === NAME)?.broken).toEqual(['Keys out has no threshold "too many". Draw one on its page.'])
  await matter.getByRole('link', { name: 'Open the brief' }).click()
  await expect(page.getByText('Keys out has no threshold "too many". Draw one on its page.').first()).toBeVisible()
  await page.goto(`/workflows?q=${encodeURIComponent(NAME)}`)
  await expect(page.getByRole('listitem').filter({ hasText: NAME })).toContainText('Broken')
  await api('PUT', '/api/v1/figures/keys_out', { ...figure, thresholds })
  await expect(async () => {
    await page.goto(`/workflows?q=${encodeURIComponent(NAME)}`)
    await expect(page.getByRole('listitem').filter({ hasText: NAME })).toContainText('Live', { timeout: 1_000 })
  }).toPass()
  await api('DELETE', PATH)
  expect((await api('DELETE', '/api/v1/figures/keys_out')).status).toBe(204)
})
