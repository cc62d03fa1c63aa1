import { defineConfig } from 'vitest/config';

export default defineConfig({
  test: { root: import.meta.dirname, include: ['**/*.e2e.ts'], testTimeout: 180_000, hookTimeout: 180_000, maxWorkers: 2 },
});
