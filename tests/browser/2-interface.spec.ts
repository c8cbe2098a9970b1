import { expect, test } from '@playwright/test'
import { api, BASE } from './installation'
import { INES, MAREN, RAFI, signIn, signInOnPage } from './people'

test('a brief is edited by keys alone: lines, a condition, undo', async ({ page }) => {
  await signIn(page)
  await page.goto('/workflows/Sailing%20cancelled')
  const line = (name: RegExp) => page.getByRole('button', { name })
  await expect(page.getByText(/firings? in the last/)).toBeVisible()
  await page.keyboard.press('j')
  await page.keyboard.press('j')
  await expect(line(/^line 2.1, condition/)).toBeFocused()
  await page.keyboard.press('Enter')
  await expect(page.getByRole('region', { name: 'Editor of line 2.1' })).toBeVisible()
  await page.keyboard.press('Escape')
  await expect(line(/^line 2.1, condition/)).toBeFocused()
  await page.keyboard.press('c')
  await expect(line(/^line 2.3, condition/)).toBeVisible()
  await page.keyboard.press('Escape')
  await page.keyboard.press('Control+z')
  await expect(line(/^line 2.3, condition/)).toHaveCount(0)
  await expect(page.getByText('Edits not saved')).toHaveCount(0)
})

test('what changes in the brief shows in the margin', async ({ page }) => {
  await signIn(page)
  await page.goto('/workflows/Sailing%20cancelled')
  await page.getByRole('button', { name: /^line 2.2, condition/ }).click()
  const firings = page.getByText(/firings? in the last/)
  const before = await firings.innerText()
  await page.getByRole('textbox', { name: 'Value' }).fill('9000')
  await expect(firings).toHaveText(/^0 firings/)
  await expect(page.getByRole('button', { name: 'line 2.2, condition, booked is at least 9,000' })).toBeVisible()
  await page.getByRole('textbox', { name: 'Value' }).fill('40')
  await expect(firings).toHaveText(before)
})

test('the grid sorts, filters and pages by the server; filter and order are in the address', async ({ page }) => {
  await signIn(page)
  await page.goto('/records/claims')
  await page.getByRole('button', { name: 'Amount', exact: true }).click()
  await page.getByRole('button', { name: 'Amount', exact: true }).click()
  await expect(page).toHaveURL(/order=-amount/)
  await page.getByRole('button', { name: 'Filter …' }).click()
  await page.getByRole('combobox', { name: 'Field' }).click()
  await page.getByRole('option', { name: /^kind/ }).click()
  await page.getByRole('combobox', { name: 'Value' }).click()
  await page.getByRole('option', { name: 'Baggage' }).click()
  await page.getByRole('button', { name: 'Show' }).click()
  await expect(page).toHaveURL(/where=/)
  await expect(page.getByText(/that fit$/)).toBeVisible()
  const { records, count } = (await api('GET', `/api/v1/records/claims?count&order=-amount&limit=1&where=${encodeURIComponent('{"field":"kind","op":"is","value":"Baggage"}')}`))
    .body as unknown as { records: { number: string }[]; count: number }
  await expect(page.getByText(`${count.toLocaleString('en-GB')} that fit`)).toBeVisible()
  await expect(page.getByRole('row').nth(1)).toContainText(records[0]?.number as string)
  await page.goBack()
})

test('the palette finds records and places, and keys go to places', async ({ page }) => {
  await signInOnPage(page)
  await page.keyboard.press('Control+k')
  await page.keyboard.type('kestrel')
  await page.getByRole('option', { name: /^vessel\s*Kestrel/ }).click()
  await expect(page.getByRole('heading', { level: 1, name: 'Kestrel' })).toBeVisible()
  await expect(page.getByRole('region', { name: 'Sailings' })).toBeVisible()
  await page.keyboard.press('g')
  await page.keyboard.press('w')
  await expect(page).toHaveURL(/\/workflows$/)
  await page.keyboard.press('?')
  await expect(page.getByRole('dialog', { name: 'Keys' })).toBeVisible()
})

test('a member sees records and their own mail, and is told what is not for them', async ({ page }) => {
  await signInOnPage(page, RAFI)
  await expect(page.getByText('What was sent to you')).toBeVisible()
  await expect(page.getByRole('navigation', { name: 'Places' }).getByRole('link', { name: 'Templates' })).toHaveCount(0)
  const response = await page.goto('/templates')
  expect(response?.status()).toBe(403)
  await expect(page.getByText('This place is not for your role')).toBeVisible()
  await page.goto(`/post-room?mailbox=${encodeURIComponent(MAREN)}`)
  await expect(page.getByText('rafi.demir@ternsay-ferries.example').first()).toBeVisible()
  await expect(page.getByRole('link', { name: 'Maren Voss' })).toHaveCount(0)
})

test('signing in with a wrong password is refused; guessing on is slow, whatever the headers say, and locks nobody out', async ({ page, playwright }) => {
  await page.goto('/sign-in')
  await page.getByLabel('E-mail').fill(INES)
  await page.getByLabel('Password').fill('wrong')
  await page.getByRole('button', { name: 'Sign in', exact: true }).click()
  await expect(page.getByText('The e-mail or the password is not right.')).toBeVisible()
  const guess = (email: string, i: number) =>
    page.request.post('/api/session', {
      data: { email, password: 'wrong' },
      headers: { origin: BASE, 'x-forwarded-for': `203.0.113.${i}`, forwarded: `for=203.0.113.${i}`, 'x-rappel-caller': `203.0.113.${i}` },
    })
  for (const [i, email] of [INES.toUpperCase(), ` ${INES}`, `${INES} `, INES].entries()) expect((await guess(email, i)).status()).toBe(401)
  const many = (await Promise.all(Array.from({ length: 12 }, (_, i) => guess(INES, i)))).map((r) => r.status())
  expect([many.filter((s) => s === 401).length, many.filter((s) => s === 429).length]).toEqual([2, 10])
  // whoever knows the password comes in all the same, if later
  const fresh = await playwright.request.newContext({ baseURL: BASE, extraHTTPHeaders: { origin: BASE } })
  expect((await fresh.post('/api/session', { data: { email: INES, password: 'ternsay' }, timeout: 60_000 })).status()).toBe(200)
})

test('pages run no script but the application’s own, and log no error', async ({ page }) => {
  const errors: string[] = []
  page.on('console', (message) => message.type() === 'error' && errors.push(message.text()))
  page.on('pageerror', (error) => errors.push(error.message))
  await signIn(page)
  for (const path of ['/', '/workflows', '/workflows/Enquiry%20handed%20over', '/records', '/records/sailings', '/records/sailings/3', '/runs', '/post-room']) {
    const response = await page.goto(path)
    expect(response?.headers()['content-security-policy']).toMatch(/script-src 'self' 'nonce-/)
    await page.waitForLoadState('networkidle', { timeout: 1_500 }).catch(() => undefined)
    const width = await page.evaluate(() => document.documentElement.scrollWidth - document.documentElement.clientWidth)
    expect(width, `${path} scrolls sideways`).toBeLessThanOrEqual(0)
  }
  expect(errors).toEqual([])
})
