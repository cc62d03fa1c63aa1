import { defineConfig } from 'vitest/config';

export default defineConfig({
  resolve: { alias: { '@': import.meta.dirname } },
  test: { root: import.meta.dirname, include: ['tests/**/*.test.ts'], chaiConfig: { truncateThreshold: 1000 }, testTimeout: 60_000 },
});
