import { defineConfig } from '@playwright/test'
import { CHROMIUM } from './scripts/chromium.ts'

export default defineConfig({
  testDir: 'e2e',
  globalSetup: './e2e/globalSetup.ts',
  timeout: 45_000,
  expect: { timeout: 8000 },
  workers: 2,
  fullyParallel: false,
  retries: 0,
  reporter: [['line'], ['json', { outputFile: 'test-results/e2e.json' }]],
  use: {
    baseURL: 'http://localhost:7410',
    viewport: { width: 1280, height: 800 },
    launchOptions: CHROMIUM,
  },
})
