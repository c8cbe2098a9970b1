import { type APIRequestContext, expect, type Page, type PlaywrightWorkerArgs } from '@playwright/test'
import { BASE } from './installation'

export const MAREN = 'maren.voss@ternsay-ferries.example'
export const TOVE = 'tove.lindqvist@ternsay-ferries.example'
export const INES = 'ines.okafor@ternsay-ferries.example'
export const RAFI = 'rafi.demir@ternsay-ferries.example'
const PASSWORD = 'ternsay'

/** Signs in without the sign-in page. */
export async function signIn(page: Page, email = MAREN): Promise<void> {
  const response = await page.request.post('/api/session', { data: { email, password: PASSWORD }, headers: { origin: BASE } })
  expect(response.status()).toBe(200)
}

/** Signs in on the sign-in page, and comes to Today. */
export async function signInOnPage(page: Page, email = MAREN): Promise<void> {
  await page.goto('/sign-in')
  await page.getByLabel('E-mail').fill(email)
  await page.getByLabel('Password').fill(PASSWORD)
  await page.getByRole('button', { name: 'Sign in', exact: true }).click()
  await expect(page.getByRole('navigation', { name: 'Places' })).toBeVisible()
}

/** A caller with somebody's session, as the application's own pages call, where that is reached. */
export async function sessionOf(playwright: PlaywrightWorkerArgs['playwright'], email: string, base = BASE): Promise<APIRequestContext> {
  const context = await playwright.request.newContext({ baseURL: base, extraHTTPHeaders: { origin: base } })
  const response = await context.post('/api/session', { data: { email, password: PASSWORD } })
  expect(response.status()).toBe(200)
  return context
}
