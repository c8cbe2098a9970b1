import { expect, test } from '@playwright/test'
import { api, POST_ROOM } from './installation'
import { RAFI, sessionOf, signIn } from './people'

const NAME = 'Claim added'

test.afterAll(async () => {
  for (const name of [NAME, 'Mail for others']) await api('DELETE', `/api/v1/workflows/${encodeURIComponent(name)}`)
})

test('a member takes a starter, sends it live, and gets its mail; nobody else does', async ({ page }) => {
  await signIn(page, RAFI)
  await page.goto('/records/claims')
  await page.getByRole('button', { name: 'Tell me when …' }).click()
  await page.getByRole('menuitem', { name: 'one is added' }).click()
  await expect(page.getByRole('button', { name: 'line 2, email, Rafi Demir' })).toBeVisible()
  await page.getByPlaceholder(/^Add a line/).fill('notice to people')
  await expect(page.getByText(/No line is made of that/)).toBeVisible()
  await page.keyboard.press('Escape')
  await page.keyboard.press('Control+s')
  await expect(page).toHaveURL(/\/workflows\/Claim/)
  await page.getByRole('button', { name: 'Send it live' }).click()
  await page.getByRole('alertdialog').getByRole('button', { name: 'Send it live' }).click()
  await expect(page.getByText('Live, version 1')).toBeVisible()
  const { body } = await api('POST', '/api/v1/records/claims', { kind: 'Refund', amount: 12 })
  const subjects = async () => (await (await fetch(`${POST_ROOM}/messages?to=${RAFI}&raw=false`)).json()).messages.map((m: { subject: string }) => m.subject)
  await expect.poll(subjects).toContain(`New claim ${body.number}`)
  await page.getByRole('link', { name: 'Workflows', exact: true }).click()
  await expect(page.getByRole('heading', { name: 'My workflows' })).toBeVisible()
  await expect(page.getByRole('list', { name: 'Workflows' }).getByRole('listitem')).toHaveCount(1)
  await page.getByRole('link', { name: 'Runs', exact: true }).click()
  await expect(page.getByText(String(body.number)).first()).toBeVisible()
})

test('a member’s own workflow may write to nobody else, whoever edits it, and others’ workflows are not theirs to see', async ({ playwright }) => {
  const rafi = await sessionOf(playwright, RAFI)
  const put = (name: string, to: unknown[]) =>
    rafi.put(`/api/v1/workflows/${encodeURIComponent(name)}`, {
      data: { rappel: 'workflow/1', table: 'claims', cue: { kind: 'record', on: ['created'] }, actions: [{ name: 'a', do: 'email', to, subject: 'S', body: 'B' }] },
    })
  const saved = await put('Mail for others', [{ address: RAFI }, { field: 'owner' }])
  expect((await saved.json()).review).toMatchObject([{ code: 'not for members', path: '/actions/0/to/1' }])
  expect((await rafi.post('/api/v1/workflows/Mail for others/live')).status()).toBe(409)
  expect((await rafi.post('/api/v1/workflows/Mail for others/trial', { data: {} })).status()).toBe(409)
  expect((await api('POST', '/api/v1/workflows/Mail for others/live')).status).toBe(409)
  const theirs = encodeURIComponent('Offer above 1,000')
  expect((await rafi.get(`/api/v1/workflows/${theirs}`)).status()).toBe(404)
  expect((await put('Offer above 1,000', [{ address: RAFI }])).status()).toBe(409)
  for (const verb of ['live', 'pause', 'resume', 'catch-up']) expect((await rafi.post(`/api/v1/workflows/${theirs}/${verb}`)).status()).toBe(404)
  expect((await rafi.delete(`/api/v1/workflows/${theirs}`)).status()).toBe(404)
  expect((await (await rafi.get('/api/v1/workflows')).json()).workflows.map((w: { name: string }) => w.name)).not.toContain('Offer above 1,000')
  expect((await (await rafi.get('/api/v1/runs?workflow=Offer above 1,000')).json()).runs).toEqual([])
})
