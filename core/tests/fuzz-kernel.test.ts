import { spawn } from 'node:child_process';
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { afterAll, beforeAll, describe, expect, test, vi } from 'vitest';
import { openingKernel } from '../src/kernel/load.ts';
import { dataFile } from './data.ts';
import { some } from './some.ts';

/** Files a format: shortened here; FUZZ sets another count. "npm run fuzz" is a run of its own, see fuzz/. */
const files = Number(process.env.FUZZ ?? some(25, 6));
const seconds = Number(process.env.FUZZ_SECONDS ?? 60);
/** Files that one process reads, as one thread of the server does before a new one takes its place. */
const perProcess = 300;
/** A file that takes longer is taken for lost, ms. */
const lostAfter = 60_000;
vi.setConfig({ testTimeout: (seconds + 2 * (lostAfter / 1000) + 60) * 1000 });

const program = fileURLToPath(new URL('./readers/kernel-fuzz.mjs', import.meta.url));

interface Counts {
  read: number;
  refused: number;
  /** Files on which a process that had read damaged files before was lost, and which a fresh one read. */
  again: number[];
  bad: string[];
  memory: number;
  done: number;
}

/** Reads files from..to in a process of their own; resolves with the first that was not done. */
function child(file: string, ending: string, seed: number, from: number, to: number, counts: Counts): Promise<number> {
  return new Promise((resolve) => {
    const run = spawn('nice', ['-n', '10', process.execPath, program, file, ending, String(seed), String(from), String(to)]);
    let next = from;
    let text = '';
    let watch = setTimeout(() => run.kill('SIGKILL'), lostAfter);
    run.stdout.on('data', (chunk: Buffer) => {
      clearTimeout(watch);
      watch = setTimeout(() => run.kill('SIGKILL'), lostAfter);
      text += chunk.toString();
      const lines = text.split('\n');
      text = lines.pop()!;
      for (const line of lines) {
        const [word, at, memory] = line.split(' ');
        if (word === 'at') continue;
        next = Number(word === 'crash' ? next : at) + 1;
        if (word === 'read') counts.read++;
        else if (word === 'refused') counts.refused++;
        else counts.bad.push(line);
        if (Number(memory) > counts.memory) counts.memory = Number(memory);
      }
    });
    run.on('close', () => {
      clearTimeout(watch);
      resolve(next);
    });
  });
}

async function run(file: string, ending: string, seed: number): Promise<Counts> {
  const counts: Counts = { read: 0, refused: 0, again: [], bad: [], memory: 0, done: 0 };
  const until = performance.now() + seconds * 1000;
  for (let from = 0; from < files && performance.now() < until;) {
    const to = Math.min(files, from + perProcess);
    let next = await child(file, ending, seed, from, to, counts);
    if (next < to) {
      // Lost: the server ends such a thread and gives the file to a fresh one.
      const before = counts.read + counts.refused;
      const after = await child(file, ending, seed, next, next + 1, counts);
      if (after === next || counts.read + counts.refused === before) counts.bad.push(`file ${next} alone is lost too`);
      else counts.again.push(next);
      next++;
    }
    from = next;
    counts.done = next;
  }
  if (files > 1000) console.log(`${ending}: ${JSON.stringify(counts)}`);
  return counts;
}

describe('mutated STEP and IGES through the kernel: a result or a typed refusal, at the latest by a fresh thread', () => {
  const folder = mkdtempSync(join(tmpdir(), 'tall-kite-fuzz-'));
  const step = join(folder, 'a.step');
  const iges = join(folder, 'a.igs');
  afterAll(() => rmSync(folder, { recursive: true, force: true }));
  beforeAll(async () => {
    writeFileSync(step, dataFile('cube-mm.step'));
    const k = await openingKernel();
    k.FS.writeFile('/a.stp', dataFile('cube-mm.step'));
    const reader = new k.STEPControl_Reader_1();
    reader.ReadFile('/a.stp');
    reader.TransferRoots(new k.Message_ProgressRange_1());
    const writer = new k.IGESControl_Writer_2('MM', 1);
    writer.AddShape(reader.OneShape(), new k.Message_ProgressRange_1());
    writer.ComputeModel();
    writer.Write_2('/o.igs', false);
    writeFileSync(iges, k.FS.readFile('/o.igs'));
  });
  test.each([
    ['step', 21],
    ['igs', 22],
  ])('%s', async (ending, seed) => {
    const counts = await run(ending === 'step' ? step : iges, ending, seed);
    expect(counts.bad).toEqual([]);
    expect(counts.read + counts.refused).toBeGreaterThan(0);
    expect(counts.memory).toBeLessThan(2000);
  });
});
