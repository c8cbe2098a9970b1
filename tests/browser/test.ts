import { type BrowserContext, test as base } from '@playwright/test'
import { BASE } from './installation'

/**
 * Tests with a page of their own, in one browser context: the application's scripts are loaded and compiled once, not once a test.
 * Nobody is signed in when a test begins.
 */
export const test = base.extend<object, { shared: BrowserContext }>({
  shared: [
    async ({ browser }, use) => {
      const context = await browser.newContext({ baseURL: BASE, viewport: { width: 1280, height: 800 } })
      await use(context)
      await context.close()
    },
    { scope: 'worker' },
  ],
  context: async ({ shared }, use) => {
    await shared.clearCookies()
    await use(shared)
  },
  page: async ({ context }, use) => {
    const page = await context.newPage()
    const before = new Set(context.pages())
    await use(page)
    for (const one of context.pages()) if (one === page || !before.has(one)) await one.close()
  },
})
export { expect } from '@playwright/test'
