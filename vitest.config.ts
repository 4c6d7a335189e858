import { defineConfig } from 'vitest/config'

export default defineConfig({
  test: {
    globalSetup: 'packages/server/test/template.ts',
    include: ['packages/*/src/**/*.test.ts', 'packages/*/test/**/*.test.ts', 'e2e/**/*.test.ts', 'bench/*.test.ts'],
    testTimeout: 1_800_000,
    hookTimeout: 1_800_000,
    pool: 'forks',
    maxWorkers: 2,
  },
})
