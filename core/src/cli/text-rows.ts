import { availableParallelism } from 'node:os';
import { Worker } from 'node:worker_threads';
import { Unusable } from '../base/finding.ts';
import type { TextChoice } from '../text/choice.ts';
import type { TextWish } from './text-options.ts';
import { rowMade, type TextMade, type TextRow } from './text-row.ts';

/** Rows that one thread makes. */
export interface TextTask {
  rows: TextRow[];
  base: TextChoice;
  asked: TextWish;
}

/** Rows for which a second thread is worth its start, and most threads: each holds fonts and the engine, about 120 MB. */
const worthThreads = 60;
const mostThreads = 4;

/** All rows in their order, by several threads where there are many. How far it is stands on a terminal meanwhile. @throws Unusable of the first row that can't be made. */
export async function rowsMade(rows: readonly TextRow[], base: TextChoice, asked: TextWish): Promise<TextMade[]> {
  const told = progressOf(rows.length);
  const threads = rows.length >= worthThreads ? Math.min(mostThreads, availableParallelism()) : 1;
  if (threads > 1) return inThreads(rows, { base, asked }, threads, told);
  const made: TextMade[] = [];
  for (const row of rows) {
    made.push(await rowMade(row, base, asked));
    told(made.length);
  }
  return made;
}

async function inThreads(rows: readonly TextRow[], how: Omit<TextTask, 'rows'>, threads: number, told: (done: number) => void): Promise<TextMade[]> {
  const made: TextMade[] = [];
  let done = 0;
  const workers: Worker[] = [];
  const one = (first: number): Promise<void> =>
    new Promise((finish, fail) => {
      // Every so many-th row, so that all threads end at about the same time.
      const own = rows.map((_, i) => i).filter((i) => i % threads === first);
      const task: TextTask = { ...how, rows: own.map((i) => rows[i]) };
      const worker = new Worker(new URL('./text-thread.js', import.meta.url), { workerData: task });
      workers.push(worker);
      let at = 0;
      worker.on('message', (said: { made?: TextMade; failed?: { code: string; message: string; remedy: string } }) => {
        if (said.failed) return fail(new Unusable(said.failed.code, said.failed.message, said.failed.remedy));
        made[own[at++]] = said.made!;
        told(++done);
        if (at === own.length) finish();
      });
      worker.on('error', fail);
      worker.on('exit', () => at < own.length && fail(new Unusable('ended', 'A thread that made rows ended before its time.', 'Ask again with fewer rows.')));
    });
  try {
    await Promise.all(Array.from({ length: threads }, (_, first) => one(first)));
  } finally {
    await Promise.all(workers.map((w) => w.terminate()));
  }
  return made;
}

/** "120 of 500" on a terminal, over itself; nothing where output goes to a file or a program. */
function progressOf(all: number): (done: number) => void {
  if (!process.stderr.isTTY || all < 10) return () => {};
  return (done) => process.stderr.write(done === all ? `\r\u001b[K` : `\r${done} of ${all}`);
}
