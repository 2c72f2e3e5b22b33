import { defineConfig } from 'vitest/config'

const project = (
  name: string,
  include: string,
  more: { testTimeout?: number; fileParallelism?: boolean; retry?: number } = {},
) => ({
  test: {
    name,
    include: [include],
    testTimeout: more.testTimeout ?? 20_000,
    hookTimeout: 120_000,
    // Waits are for slow hosts: they cost nothing where things go well.
    expect: { poll: { timeout: 20_000 } },
    fileParallelism: more.fileParallelism ?? true,
    retry: more.retry ?? 0,
  },
})

export default defineConfig({
  test: {
    projects: [
      project('core', 'core/test/**/*.test.ts'),
      project('web', 'web/test/**/*.test.ts'),
      // Load is measured here: one file at a time, so that tests do not disturb one another. Where the host takes the
      // processor away, a run is rightly void and is made again: a fault of ours fails three times in a row.
      project('engine', 'engine/test/**/*.test.ts', { testTimeout: 60_000, fileParallelism: false, retry: 2 }),
      project('cli', 'cli/test/**/*.test.ts', { testTimeout: 60_000, fileParallelism: false, retry: 2 }),
      project('server', 'server/test/**/*.test.ts', { testTimeout: 60_000, fileParallelism: false }),
      project('e2e', 'e2e/**/*.test.ts', { testTimeout: 240_000, fileParallelism: false, retry: 2 }),
    ],
  },
})
