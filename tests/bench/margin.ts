import { chromium } from '@playwright/test'
import { CHROMIUM } from '../browser/chromium'
import { BASE, startDemo, stopDemo } from '../browser/installation'
import { MAREN } from '../browser/people'
import { median, quantile, report } from './measure'

const EDITS = 24

/** How long after a key in a brief of the demo its margin has the answer, in a browser, against one bare call over the same way. */
export async function benchMargin(): Promise<void> {
  await startDemo()
  const browser = await chromium.launch({ executablePath: CHROMIUM, args: ['--no-sandbox', '--disable-gpu'] })
  try {
    const page = await browser.newPage({ viewport: { width: 1280, height: 800 } })
    await page.request.post(`${BASE}/api/session`, { data: { email: MAREN, password: 'ternsay' }, headers: { origin: BASE } })
    await page.goto(`${BASE}/workflows/new?table=claims&starter=level%20amount`)
    const field = page.getByRole('textbox', { name: 'Value', exact: true })
    await field.fill('10')
    await page.waitForLoadState('networkidle')
    const waits: number[] = []
    const bare: number[] = []
    for (let i = 0; i < EDITS; i++) {
      const answered = page.waitForResponse(
        (r) =>
          r.url().endsWith('/api/v1/evidence') &&
          r
            .request()
            .postData()
            ?.includes(`"value":${100 + i}`) === true,
      )
      const start = performance.now()
      await field.fill(String(100 + i))
      await (await answered).finished()
      await page.locator('aside [aria-busy="false"]').first().waitFor()
      waits.push(performance.now() - start)
      const called = performance.now()
      await page.evaluate(() => fetch('/api/v1/health').then((r) => r.text()))
      bare.push(performance.now() - called)
      await page.waitForTimeout(400)
    }
    const middle = median(waits)
    report('margin: from a key to the answer, on the demo', `${middle.toFixed(0)} ms (${quantile(waits, 0.9).toFixed(0)} ms)`, 'under 300 ms', middle < 300)
    report('margin: against one bare call', `${(middle / median(bare)).toFixed(1)} times`, 'told, not wanted', true)
  } finally {
    await browser.close()
    await stopDemo()
  }
}
