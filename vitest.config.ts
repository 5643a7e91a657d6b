import { defineConfig } from 'vitest/config'

export default defineConfig({
  test: {
    include: ['src/**/*.test.ts', 'scripts/**/*.test.ts', 'demo/**/*.test.ts'],
    globalSetup: './src/testing/globalSetup.ts',
    testTimeout: 20_000,
    hookTimeout: 60_000,
    pool: 'forks',
    maxWorkers: 3,
  },
})
