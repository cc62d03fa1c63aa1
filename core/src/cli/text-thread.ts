import { parentPort, workerData } from 'node:worker_threads';
import { asUnusable } from '../base/finding.ts';
import { rowMade } from './text-row.ts';
import type { TextTask } from './text-rows.ts';

// Every row that this thread was given, told one by one; a row that can't be made ends it.
const { rows, base, asked } = workerData as TextTask;
try {
  for (const row of rows) parentPort!.postMessage({ made: await rowMade(row, base, asked) });
} catch (thrown) {
  const { code, message, remedy } = asUnusable(thrown);
  parentPort!.postMessage({ failed: { code, message, remedy } });
}
