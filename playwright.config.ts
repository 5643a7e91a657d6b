import { defineConfig } from '@playwright/test'
import { CHROMIUM } from './scripts/chromium.ts'
import './scripts/testDay.mjs'

export default defineConfig({
  testDir: 'e2e',
  globalSetup: './e2e/globalSetup.ts',
  timeout: 300_000,
  // Machines may be slow and shared; how fast something is belongs in the benchmark.
  expect: { timeout: 30_000 },
  // Each has a product of its own (e2e/globalSetup.ts).
  workers: 3,
  fullyParallel: false,
  // One that passes on its second try has failed.
  retries: 0,
  // Moving practice time moves it for every test: those that do so have a product to themselves, and a worker, so that
  // they begin at once.
  projects: [
    { name: 'clock', testMatch: 'collecting.spec.ts' },
    { name: 'journeys', testIgnore: 'collecting.spec.ts' },
  ],
  reporter: [['line'], ['json', { outputFile: 'test-results/e2e.json' }]],
  use: {
    viewport: { width: 1280, height: 800 },
    launchOptions: CHROMIUM,
  },
})
