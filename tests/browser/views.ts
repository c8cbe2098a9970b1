import AxeBuilder from '@axe-core/playwright'
import type { Page } from '@playwright/test'

/** Every view of the application that has an address of its own, on the demo's data. */
export const VIEWS = [
  '/',
  '/workflows',
  '/workflows/Sailing%20cancelled',
  '/workflows/Offer%20above%201%2C000/versions',
  '/templates',
  '/templates/Charter%20agreed',
  '/records',
  '/records/claims',
  '/records/claims/3',
  '/runs',
  '/runs/3',
  '/messages',
  '/notices',
  '/workflows/Sailing%20cancelled/dry-run',
  '/workflows/new?table=claims&starter=added',
  '/workflows/new?from=changes&table=claims&yes=1',
  '/post-room',
  '/people',
  '/people/mail',
  '/people/ines.okafor@ternsay-ferries.example',
  '/account',
  '/records/claims/import',
  '/bulk',
  '/records/attach',
  '/settings/api',
  '/settings',
]

/** How far a page goes beyond its window sideways, in pixels, and what does. */
export const beyond = (page: Page) =>
  page.evaluate(() => {
    const wide = document.documentElement.scrollWidth - window.innerWidth
    if (wide <= 0) return null
    const widest = [...document.querySelectorAll('body *')]
      .filter((el) => el.getBoundingClientRect().right > window.innerWidth + 1)
      .map((el) => `${el.tagName}.${el.className}`.slice(0, 90))
    return [wide, ...widest.slice(0, 3)]
  })

/** Violations of WCAG 2.2 A and AA by the rules of axe-core, as far as a dozen of what is alike. */
export async function violations(page: Page): Promise<string[]> {
  const axe = new AxeBuilder({ page })
    .setLegacyMode()
    .options({ resultTypes: ['violations'] })
    .withTags(['wcag2a', 'wcag2aa', 'wcag21a', 'wcag21aa', 'wcag22aa'])
  for (const later of ['tbody tr', 'li', '[role="row"]', 'a', 'button']) axe.exclude(`${later}:nth-of-type(n+13)`)
  const { violations: found } = await axe.exclude('iframe').exclude('.mail-body').analyze()
  return found.map((v) => `${v.id}: ${v.nodes.map((n) => n.html.slice(0, 140)).join(' | ')}`)
}
