import type { Locator, Page } from '@playwright/test'

/** Whoever works in the browser: every click, chosen option, typed value and command key passes here, and is counted. */
export class Hand {
  count = 0

  constructor(private readonly page: Page) {}

  /** Clicks, or chooses an option. */
  async click(what: Locator): Promise<void> {
    this.count++
    await what.click()
  }

  /** Types a value into a field that is clicked for it. */
  async type(where: Locator, text: string): Promise<void> {
    this.count++
    await where.fill(text)
  }

  /** Presses a key that commands something. */
  async press(key: string): Promise<void> {
    this.count++
    await this.page.keyboard.press(key)
  }
}
