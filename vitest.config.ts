import { defineConfig } from 'vitest/config'

export default defineConfig({
  test: {
    globalSetup: 'packages/server/test/template.ts',
    include: ['packages/*/src/**/*.test.ts', 'packages/*/test/**/*.test.ts', 'e2e/**/*.test.ts', 'bench/*.test.ts'],
    // Five times what the longest takes on the two cores of CI.
    testTimeout: 600_000,
    hookTimeout: 600_000,
    pool: 'forks',
    maxWorkers: 2,
  },
})
