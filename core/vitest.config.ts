import { defineConfig } from 'vitest/config';
import { asBuilt, builtByNode } from '../tests/as-built.ts';

export default defineConfig({
  plugins: [asBuilt(['core'])],
  test: {
    root: import.meta.dirname,
    include: ['tests/**/*.test.ts'],
    // What differs is told whole in the list of what failed.
    chaiConfig: { truncateThreshold: 1000 },
    testTimeout: 180_000,
    hookTimeout: 180_000,
    pool: 'forks',
    maxWorkers: 2,
    isolate: false,
    globalSetup: '../tests/as-built.ts',
    server: builtByNode,
  },
});
