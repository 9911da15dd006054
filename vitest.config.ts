import { defineConfig } from 'vitest/config'

/** Machines are noisy: a slow test is no failure. */
const patient = { testTimeout: 60_000, hookTimeout: 60_000 }

export default defineConfig({
  test: {
    projects: [
      {
        // the app names the project's folder like this
        resolve: { alias: { '~~': import.meta.dirname } },
        test: { name: 'unit', globalSetup: ['scripts/kernels.mjs'], include: ['tests/unit/**/*.test.ts'], environment: 'node', ...patient },
      },
      {
        test: { name: 'fuzz', globalSetup: ['scripts/kernels.mjs'], include: ['tests/fuzz/**/*.test.ts'], environment: 'node', ...patient },
      },
      {
        test: {
          name: 'e2e',
          include: ['tests/e2e/**/*.test.ts'],
          environment: 'node',
          testTimeout: 240_000,
          hookTimeout: 240_000,
          expect: { poll: { timeout: 60_000 } },
          fileParallelism: false,
          globalSetup: ['tests/support/serve.ts'],
        },
      },
    ],
  },
})
