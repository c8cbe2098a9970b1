import { expect, test } from '@playwright/test'
import { api, subjectsTo } from './installation'
import { signIn } from './people'

const NAME = 'Every claim, limited'
const PATH = `/api/v1/workflows/${encodeURIComponent(NAME)}`

test.afterAll(() => api('DELETE', PATH))

const subjects = () => subjectsTo('limited@x.example')

test('limits are typed, stand in the brief with what they would have held back, and hold mail until somebody sends it', async ({ page }) => {
  await api('PUT', PATH, {
    rappel: 'workflow/1',
    name: NAME,
    table: 'claims',
    cue: { kind: 'record', on: ['created', 'changed'] },
    firing: 'every',
    conditions: { all: [{ field: 'status', op: 'is', value: 'New' }] },
    actions: [{ name: 'tell', do: 'email', to: [{ address: 'limited@x.example' }], subject: 'Limited {{ claim.number }}', body: 'B', format: 'plain' }],
  })
  const touched = (await api('POST', '/api/v1/records/claims', { number: 'LIM-0', kind: 'Baggage', status: 'New' })).body as unknown as { id: number }
  for (const amount of [1, 2, 3]) await api('PATCH', `/api/v1/records/claims/${touched.id}`, { amount })
  await signIn(page)
  await page.goto(`/workflows/${encodeURIComponent(NAME)}`)
  const adder = page.getByPlaceholder(/Add a line/)
  await expect(page.getByText(/It would have fired [0-9]+ times/)).toBeVisible()
  await adder.fill('no more than one per claim an hour')
  await expect(page.getByRole('option', { name: /no more than one per claim in 1 hour/ })).toBeVisible()
  await page.keyboard.press('Enter')
  await expect(page.getByRole('button', { name: /no more than one per claim in 1 hour/ })).toBeVisible()
  await expect(page.getByText(/left out by spacing/)).toBeVisible()
  await adder.fill('at most 1 a day')
  await expect(page.getByRole('option', { name: /at most 1 a day/ })).toBeVisible()
  await page.keyboard.press('Enter')
  await expect(page.getByRole('button', { name: /at most 1 a day/ })).toBeVisible()
  await expect(page.getByText(/held past the most of a day/)).toBeVisible()
  await page.getByRole('button', { name: 'Send it live' }).click()
  await page.getByRole('alertdialog').getByRole('button', { name: 'Send it live' }).click()
  await expect(page.getByText('Live, version 1')).toBeVisible()

  const first = (await api('POST', '/api/v1/records/claims', { number: 'LIM-1', kind: 'Baggage', status: 'New' })).body as unknown as { id: number }
  await expect.poll(subjects).toEqual(['Limited LIM-1'])
  await api('PATCH', `/api/v1/records/claims/${first.id}`, { amount: 77 })
  await api('POST', '/api/v1/records/claims', { number: 'LIM-2', kind: 'Baggage', status: 'New' })
  const held = async () => ((await api('GET', '/api/v1/held')).body.held as unknown as { workflow: string; reason: string; count: number }[]).filter((h) => h.workflow === NAME)
  await expect.poll(held).toMatchObject([{ reason: 'cap', count: 1 }])
  const { runs } = (await api('GET', `/api/v1/runs?workflow=${encodeURIComponent(NAME)}`)).body as unknown as { runs: { id: number; record: number }[] }
  await page.goto(`/runs/${Math.max(...runs.filter((r) => r.record === first.id).map((r) => r.id))}`)
  await expect(page.getByText(/Not sent: one per record in 1 hour; the last went/)).toBeVisible()

  await page.goto('/')
  const today = page.getByRole('region', { name: 'Held' })
  await expect(today.getByText('1 mail past the most of a day')).toBeVisible()
  await today.getByRole('link', { name: 'See them' }).first().click()
  await expect(page.getByText('held past the most of a day')).toBeVisible()
  await page.goto('/')
  await today.getByRole('button', { name: 'Send them' }).first().click()
  await expect.poll(async () => (await subjects()).sort()).toEqual(['Limited LIM-1', 'Limited LIM-2'])
  expect(await held()).toEqual([])
})
