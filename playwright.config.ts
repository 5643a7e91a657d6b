import { defineConfig } from '@playwright/test'
import { CHROMIUM } from './scripts/chromium.ts'
import './scripts/testDay.mjs'

export default defineConfig({
  testDir: 'e2e',
  globalSetup: './e2e/globalSetup.ts',
  timeout: 90_000,
  // Machines may be slow and shared; how fast something is belongs in the benchmark.
  expect: { timeout: 20_000 },
  workers: 2,
  fullyParallel: false,
  // One more try; a test that needs it is named as flaky in the report.
  retries: 1,
  // Moving practice time moves it for every test: those that do so come last, by themselves.
  projects: [
    { name: 'journeys', testIgnore: 'collecting.spec.ts' },
    { name: 'clock', testMatch: 'collecting.spec.ts', dependencies: ['journeys'] },
  ],
  reporter: [['line'], ['json', { outputFile: 'test-results/e2e.json' }]],
  use: {
    baseURL: 'http://localhost:7410',
    viewport: { width: 1280, height: 800 },
    launchOptions: CHROMIUM,
  },
})
