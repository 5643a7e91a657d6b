import { defineConfig } from 'vitest/config'
import './scripts/testDay.mjs'

/** What computes, or draws, without a database; the rest has a cluster of its own. */
const PLAIN = ['src/core', 'src/shop', 'src/studio', 'src/ui'].map((folder) => `${folder}/**/*.test.ts`)

const common = {
  testTimeout: 90_000,
  hookTimeout: 120_000,
  setupFiles: ['./scripts/testDay.mjs'],
  // Loading the sources costs more than the tests: what a worker has loaded serves all its files, and what was
  // translated is kept for the next run. Each file has a database and services of its own.
  isolate: false,
  experimental: { fsModuleCache: true },
}

export default defineConfig({
  test: {
    pool: 'forks',
    maxWorkers: 3,
    projects: [
      { test: { ...common, name: 'plain', include: PLAIN } },
      {
        test: {
          ...common,
          name: 'database',
          include: ['src/**/*.test.ts', 'scripts/**/*.test.ts', 'demo/**/*.test.ts'],
          exclude: PLAIN,
          globalSetup: './src/testing/globalSetup.ts',
        },
      },
    ],
  },
})
