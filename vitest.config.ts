import { defineConfig } from 'vitest/config';

export default defineConfig({
  test: {
    projects: [
      { test: { name: 'unit', include: ['src/**/*.test.ts', 'tests/evidence/**/*.test.ts', 'tests/demo/**/*.test.ts', 'tests/cli/**/*.test.ts'], environment: 'node', testTimeout: 30_000 } },
      { test: { name: 'db', include: ['tests/db/**/*.test.ts'], environment: 'node', testTimeout: 60_000, hookTimeout: 60_000 } },
      {
        test: {
          name: 'browser', include: ['tests/browser/**/*.test.ts'], environment: 'node', globalSetup: ['tests/browser/globalSetup.ts'],
          testTimeout: 120_000, hookTimeout: 240_000, fileParallelism: false,
        },
      },
    ],
  },
});
