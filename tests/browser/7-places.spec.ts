import { expect, test } from '@playwright/test'
import { api } from './installation'
import { signIn } from './people'
import { beyond, VIEWS, violations } from './views'

/** The page of the change behind the newest run. */
async function newestChange(): Promise<string> {
  const [run] = (await api('GET', '/api/v1/runs?limit=1')).body.runs as unknown as { change: number }[]
  return `/changes/${run?.change}`
}

// Source: WCAG 2.2 levels A and AA, by the rules of axe-core; 1.4.10 Reflow (a window of 1280 at 200 % has 640 CSS pixels). One heading and one main part are common practice.
for (const view of [...VIEWS, '/changes/…'])
  test(`axe finds nothing on ${view}, which has one heading of its own and does not scroll sideways at 820 pixels or at 200 %`, async ({ page }) => {
    await signIn(page)
    await page.goto(view === '/changes/…' ? await newestChange() : view)
    await page.waitForLoadState(view === '/post-room' ? 'load' : 'networkidle') // the post room never stops looking for mail
    expect(await violations(page)).toEqual([])
    expect([await page.locator('h1').count(), await page.getByRole('main').count()]).toEqual([1, 1])
    for (const width of [820, 640]) {
      await page.setViewportSize({ width, height: 800 })
      expect([width, await beyond(page)]).toEqual([width, null])
    }
  })

test('a template is changed with its rendering beside it, and says what it touches', async ({ page }) => {
  await signIn(page)
  await page.goto('/templates/Charter%20agreed')
  await expect(page.getByRole('link', { name: 'Enquiry won' })).toBeVisible()
  await page.getByLabel('Subject').fill('Agreed: {{ enquiry.number }}')
  await expect(page.getByRole('complementary', { name: 'Evidence' }).getByText(/^Agreed: EN-/)).toBeVisible()
  await page.getByRole('button', { name: 'Save, also for those workflows' }).click()
  await expect(page.getByText('Saved as version 2. 1 workflow sends it from now on.')).toBeVisible()
  await page.reload()
  await page.getByRole('combobox', { name: 'Text of version' }).click()
  await page.getByRole('option', { name: /^Version 1/ }).click()
  await expect(page.getByLabel('Subject')).not.toHaveValue('Agreed: {{ enquiry.number }}')
  await expect(page.getByText('Saving makes it the newest again.')).toBeVisible()
  await page.goto('/templates/new?copy=Charter%20agreed')
  await page.getByRole('button', { name: 'Save', exact: true }).click()
  await expect(page).toHaveURL(/Copy%20of%20Charter%20agreed/)
  await expect(page.getByText('No workflow sends it.')).toBeVisible()
})

test('somebody is added, put into a group, and leaves again with a successor', async ({ page }) => {
  await signIn(page)
  await page.goto('/people')
  await page.getByRole('button', { name: 'Add somebody' }).click()
  const form = page.getByRole('form', { name: 'Add somebody' })
  await form.getByLabel('First name').fill('Nils')
  await form.getByLabel('Last name').fill('Ostermann')
  await form.getByLabel('E-mail').fill('nils.ostermann@ternsay-ferries.example')
  await form.getByRole('button', { name: 'Save' }).click()
  await expect(page.getByRole('button', { name: /^Nils Ostermann/ })).toBeVisible()
  await page.getByRole('listitem').filter({ hasText: 'Directors' }).getByRole('button', { name: 'Change' }).click()
  await page.getByRole('combobox', { name: 'Add a person' }).click()
  await page.getByRole('option', { name: /^Nils Ostermann/ }).click()
  await page.getByRole('form', { name: 'Change Directors' }).getByRole('button', { name: 'Save' }).click()
  await expect(page.getByRole('list', { name: 'Groups' })).toContainText('Nils Ostermann')
  await page.getByRole('button', { name: /^Nils Ostermann/ }).click()
  await page.getByRole('button', { name: 'Deactivate', exact: true }).click()
  const dialog = page.getByRole('alertdialog')
  await expect(dialog).toContainText('Leaves the groups Directors.')
  await dialog.getByRole('combobox', { name: 'Who takes over' }).click()
  await page.getByRole('option', { name: 'Callum Reith' }).click()
  await dialog.getByRole('button', { name: 'Deactivate' }).click()
  await expect(page.getByText('Nils Ostermann is inactive and gets no more mail.')).toBeVisible()
  const { groups } = (await api('GET', '/api/v1/groups')).body as unknown as { groups: { name: string; people: string[] }[] }
  const directors = groups.find((g) => g.name === 'Directors')?.people ?? []
  expect(directors).toContain('callum.reith@ternsay-ferries.example')
  expect(directors).not.toContain('nils.ostermann@ternsay-ferries.example')
  await api('PUT', '/api/v1/groups/Directors', { people: directors.filter((e) => !e.startsWith('callum')), addresses: [] })
})
