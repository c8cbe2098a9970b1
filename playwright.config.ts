import { defineConfig } from '@playwright/test'

export default defineConfig({
  testDir: 'tests/browser',
  testMatch: '**/*.spec.ts',
  outputDir: 'test-results/browser',
  globalSetup: './tests/browser/setup.ts',
  globalTeardown: './tests/browser/teardown.ts',
  workers: 1, // two files at a time gain little where chromium and the servers share two cores
  fullyParallel: false,
  retries: 1, // a browser on a busy machine may stumble once; what did is listed as flaky, and what does twice has failed
  timeout: 180_000,
  expect: { timeout: 20_000 }, // patience for a machine that is busy with other things; nothing here measures time
  reporter: [['list'], ['json', { outputFile: 'test-results/playwright.json' }]],
  use: {
    actionTimeout: 30_000,
    baseURL: `http://127.0.0.1:${process.env.RAPPEL_PORT ?? 4270}`,
    viewport: { width: 1280, height: 800 },
    launchOptions: {
      executablePath: '/usr/bin/chromium',
      args: ['--no-sandbox', '--disable-gpu', '--disable-quic', '--no-first-run', '--disable-background-networking', '--disable-component-update', '--disable-sync'],
    },
  },
})
