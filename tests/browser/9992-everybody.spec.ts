import { expect, test } from '@playwright/test'
import { api } from './installation'
import { signIn } from './people'
import { beyond, violations } from './views'

test.beforeEach(async ({ page }) => signIn(page))

test('a phone reads Today, a run, a record and why, and pauses a workflow', async ({ page }) => {
  await page.setViewportSize({ width: 390, height: 844 })
  const [run] = (await api('GET', '/api/v1/runs?limit=1')).body.runs as unknown as { id: number; change: number }[]
  for (const view of ['/', `/runs/${run?.id}`, '/records/claims/3', `/changes/${run?.change}`, '/workflows/Enquiry%20won']) {
    await page.goto(view)
    await expect(page.getByRole('heading', { level: 1 })).toBeAttached()
    expect([view, await beyond(page)]).toEqual([view, null])
  }
  await page.getByRole('button', { name: 'Pause' }).click()
  await expect(page.getByText('Paused, version 1')).toBeVisible()
  await page.getByRole('button', { name: 'Resume' }).click()
  await expect(page.getByText('Live, version 1')).toBeVisible()
  await page.getByRole('button', { name: 'Evidence', exact: true }).click()
  await expect(page.getByRole('complementary', { name: 'Evidence' })).toBeFocused()
  await page.keyboard.press('Escape')
  await expect(page.getByRole('button', { name: 'Evidence', exact: true })).toBeFocused()
  await page.getByRole('button', { name: 'Workflows' }).click()
  await page.getByRole('menuitem', { name: 'Runs' }).click()
  await expect(page).toHaveURL(/\/runs$/)
  await page.goto('/post-room')
  await page.getByRole('region', { name: 'Messages' }).getByRole('link').first().click()
  await expect(page.getByRole('complementary', { name: 'Message' }).getByRole('heading').first()).toBeVisible()
  await page.getByRole('link', { name: 'Back to the list' }).click()
  await expect(page.getByRole('region', { name: 'Messages' })).toBeVisible()
})

test('from Today to live without a mouse, in at most twice the keys of the sentence', async ({ page }) => {
  await page.goto('/')
  await page.waitForLoadState('networkidle')
  const sentence = 'when a task is removed email me'
  let keys = 0
  const press = async (key: string) => {
    keys++
    await page.keyboard.press(key)
  }
  await press('Control+k')
  await expect(page.getByRole('dialog')).toBeVisible()
  for (const letter of sentence) await press(letter === ' ' ? 'Space' : letter)
  await expect(page.getByRole('list', { name: /^Brief/ })).toBeVisible()
  await press('Control+Enter')
  await expect(page.getByRole('alertdialog').getByRole('button', { name: 'Send it live' })).toBeFocused()
  await press('Enter')
  await expect(page.getByText('Live, version 1')).toBeVisible()
  expect(keys).toBeLessThanOrEqual(2 * sentence.length)
  expect(await page.evaluate(() => document.activeElement?.tagName)).not.toBe('HTML')
  const name = decodeURIComponent(new URL(page.url()).pathname.split('/').at(-1) ?? '')
  await api('DELETE', `/api/v1/workflows/${encodeURIComponent(name)}`)
})

test('what is cut off for want of room is read whole by pointing at it', async ({ page }) => {
  await page.goto('/workflows')
  const cut = page.getByText(/a claim is created or changed, and stays so for 10 days/)
  await page.setViewportSize({ width: 700, height: 800 })
  await cut.evaluate((el) => el.removeAttribute('title'))
  await cut.hover()
  await expect(cut).toHaveAttribute('title', /email the manager of its owner/)
})

// Source: WCAG 2.2, success criterion 2.1.4 Character Key Shortcuts.
test('letters act as keys until they are switched off, and never while a choice has the focus', async ({ page }) => {
  await page.goto('/workflows')
  await page.waitForLoadState('networkidle')
  await page.getByRole('combobox', { name: 'State' }).focus()
  await page.keyboard.press('g')
  await page.keyboard.press('r')
  await expect(page).toHaveURL(/\/workflows$/)
  await page.keyboard.press('Escape')
  await page.locator('h1').click()
  await page.keyboard.press('?')
  await page.getByRole('checkbox', { name: 'Single letters act as keys, in this browser' }).uncheck()
  await page.keyboard.press('Escape')
  await page.locator('h1').click()
  await page.keyboard.press('g')
  await page.keyboard.press('r')
  await expect(page).toHaveURL(/\/workflows$/)
  await page.keyboard.press('?')
  await page.getByRole('checkbox', { name: 'Single letters act as keys, in this browser' }).check()
  await page.keyboard.press('Escape')
  await page.locator('h1').click()
  await page.keyboard.press('g')
  await page.keyboard.press('r')
  await expect(page).toHaveURL(/\/records$/)
})

// Source: WCAG 2.2 levels A and AA, by the rules of axe-core.
test('axe finds nothing in the dark, in dialogs, lists and open lines', async ({ page }) => {
  const found: Record<string, string[]> = {}
  const look = async (what: string) => {
    const list = await violations(page)
    if (list.length) found[what] = list
  }
  await page.emulateMedia({ colorScheme: 'dark' })
  for (const view of ['/', '/workflows/Enquiry%20won', '/records/claims', '/runs/3', '/templates/Charter%20agreed']) {
    await page.goto(view)
    await page.waitForLoadState('networkidle')
    await look(`dark ${view}`)
  }
  await page.emulateMedia({ colorScheme: 'light' })
  await page.goto('/workflows/Enquiry%20won')
  await page.waitForLoadState('networkidle')
  await page.getByRole('button', { name: /^line 2.1/ }).click()
  await expect(page.getByRole('region', { name: 'Where records lie' })).toBeVisible()
  await look('a clause that is open')
  await page.keyboard.press('Control+k')
  await page.getByPlaceholder(/A workflow, a record/).fill('claim settled')
  await expect(page.getByRole('option', { name: /becomes Settled/ }).first()).toBeVisible()
  await look('the palette')
  await page.keyboard.press('Escape')
  await page.getByRole('button', { name: 'Trial', exact: true }).click()
  await look('a trial that is begun')
  await page.keyboard.press('Escape')
  await page.goto('/workflows/new?table=claims&starter=added')
  await page.waitForLoadState('networkidle')
  await page.getByRole('button', { name: 'Send it live' }).click()
  await expect(page.getByRole('alertdialog')).toBeVisible()
  await look('the question before going live')
  expect(found).toEqual({})
})
