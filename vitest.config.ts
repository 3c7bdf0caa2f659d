import { defineConfig } from 'vitest/config';

const conditions = ['source', 'node'];
const source = { resolve: { conditions }, ssr: { resolve: { conditions } } };

export default defineConfig({
  test: {
    projects: [
      {
        ...source,
        test: {
          name: 'unit',
          include: [
            'core/**/*.test.ts',
            'player/**/*.test.ts',
            'server/**/*.test.ts',
            'demo/**/*.test.ts',
            'web/src/**/*.spec.ts',
          ],
          exclude: ['**/dist/**', '**/node_modules/**'],
          testTimeout: 20_000,
        },
      },
      {
        ...source,
        test: {
          name: 'api',
          include: ['e2e/api/**/*.test.ts'],
          fileParallelism: false,
          expect: { poll: { timeout: 30_000 } },
          testTimeout: 240_000,
          hookTimeout: 120_000,
        },
      },
      {
        ...source,
        test: {
          name: 'browser',
          include: ['e2e/browser/**/*.test.ts'],
          fileParallelism: false,
          // A slow spell of the machine must not look like a fault: nothing here asserts a time.
          expect: { poll: { timeout: 30_000 } },
          testTimeout: 480_000,
          hookTimeout: 240_000,
        },
      },
    ],
  },
});
