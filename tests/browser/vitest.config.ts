import { BaseSequencer, type TestSpecification } from 'vitest/node';
import { defineConfig } from 'vitest/config';
import { asBuilt, builtByNode } from '../as-built.ts';

/** The longest file begins first, so that it does not end alone long after the others. */
class LongestFirst extends BaseSequencer {
  override async sort(files: TestSpecification[]): Promise<TestSpecification[]> {
    const sorted = await super.sort(files);
    return [...sorted.filter((f) => f.moduleId.endsWith('quality.e2e.ts')), ...sorted.filter((f) => !f.moduleId.endsWith('quality.e2e.ts'))];
  }
}

export default defineConfig({
  plugins: [asBuilt(['core', 'server'])],
  test: {
    globalSetup: '../as-built.ts',
    server: builtByNode,
    root: import.meta.dirname,
    include: ['**/*.e2e.ts'],
    // What differs is told whole in the list of what failed.
    chaiConfig: { truncateThreshold: 1000 },
    testTimeout: 180_000,
    hookTimeout: 180_000,
    maxWorkers: 2,
    sequence: { sequencer: LongestFirst },
  },
});
