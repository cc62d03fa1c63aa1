import { defineConfig } from 'vitest/config';
import { asBuilt, builtByNode } from '../tests/as-built.ts';

export default defineConfig({
  plugins: [asBuilt(['core', 'server'])],
  test: {
    globalSetup: '../tests/as-built.ts',
    server: builtByNode,
    root: import.meta.dirname,
    include: ['tests/**/*.test.ts'],
    chaiConfig: { truncateThreshold: 1000 },
    testTimeout: 120_000,
    hookTimeout: 120_000,
    maxWorkers: 2,
  },
});
