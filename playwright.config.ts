import { defineConfig } from '@playwright/test'
import { CHROMIUM } from './tests/browser/chromium'
import { SECOND_LANE } from './tests/browser/lanes'

/** Which of the two lanes this is, or null: all specs one after the other. */
const lane = process.env.RAPPEL_TEST_LANE ?? null
const second = SECOND_LANE.map((name) => `**/${name}.spec.ts`)

export default defineConfig({
  testDir: 'tests/browser',
  testMatch: lane === '2' ? second : '**/*.spec.ts',
  testIgnore: lane === '1' ? second : [],
  outputDir: `test-results/browser${lane ?? ''}`,
  globalSetup: './tests/browser/setup.ts',
  globalTeardown: './tests/browser/teardown.ts',
  workers: 1, // a demo is used by one spec at a time; two lanes have one each
  fullyParallel: false,
  retries: 1, // a browser on a busy machine may stumble once; what did is listed as flaky, and what does twice has failed
  timeout: 360_000,
  expect: { timeout: 60_000 }, // patience for a machine that is busy with other things; nothing here measures time
  reporter: [['list'], ['json', { outputFile: `test-results/playwright${lane ?? ''}.json` }]],
  use: {
    actionTimeout: 60_000,
    baseURL: `http://127.0.0.1:${process.env.RAPPEL_PORT ?? 4270}`,
    viewport: { width: 1280, height: 800 },
    launchOptions: {
      executablePath: CHROMIUM,
      args: ['--no-sandbox', '--disable-gpu', '--disable-quic', '--no-first-run', '--disable-background-networking', '--disable-component-update', '--disable-sync'],
    },
  },
})
