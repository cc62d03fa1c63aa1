import { beforeAll, describe, expect, test, vi } from 'vitest';
import { usualChoices } from '../src/design/choices.ts';
import { readDesign } from '../src/design/read.ts';
import { Unusable } from '../src/findings/finding.ts';
import { nodeKernels, openingKernel } from '../src/kernel/load.ts';
import { dataFile } from './data.ts';
import { dice } from './data.more.ts';

/** Files a format: shortened here; "npm run fuzz" sets FUZZ to 20,000. */
const files = Number(process.env.FUZZ ?? 60);
const seconds = Number(process.env.FUZZ_SECONDS ?? 40);
vi.setConfig({ testTimeout: (seconds + 60) * 1000 });

/** A changed copy of a text: pieces cut, numbers and references put elsewhere, signs thrown in. */
function mutated(source: string, random: (n: number) => number): string {
  let s = source;
  for (let j = 0; j <= random(4); j++) {
    const at = random(s.length);
    const what = random(5);
    if (what === 0) s = s.slice(0, at) + s.slice(at + random(30));
    else if (what === 1) s = s.slice(0, at) + String(random(99)) + s.slice(at);
    else if (what === 2) {
      const mark = s.indexOf('#', at);
      if (mark > 0) s = `${s.slice(0, mark + 1)}${random(400)}${s.slice(mark + 3)}`;
    } else if (what === 3) s = s.slice(0, at) + ['$', '*', '1E400', '-', '(', ')', "'", ',', ';'][random(9)] + s.slice(at + 1);
    else if (random(4) === 0) s = s.slice(0, at);
  }
  return s;
}

async function run(source: string, name: string, seed: number): Promise<{ read: number; refused: number }> {
  const random = dice(seed);
  const until = performance.now() + seconds * 1000;
  const counts = { read: 0, refused: 0 };
  for (let i = 0; i < files && performance.now() < until; i++) {
    const bytes = Buffer.from(mutated(source, random), 'latin1');
    const from = performance.now();
    try {
      const design = await readDesign(bytes, name, nodeKernels, { ...usualChoices, bad: (['keep', 'leave', 'stop'] as const)[i % 3] });
      for (const part of design.parts) expect(Number.isFinite(part.summary.volume)).toBe(true);
      for (const finding of design.findings) expect(finding.message).toMatch(/\.$/);
      counts.read++;
    } catch (thrown) {
      if (!(thrown instanceof Unusable)) throw new Error(`file ${i} of seed ${seed}: ${(thrown as Error).stack}`);
      counts.refused++;
    }
    expect(performance.now() - from).toBeLessThan(20_000);
  }
  expect(process.memoryUsage().rss).toBeLessThan(4e9);
  return counts;
}

describe('mutated STEP and IGES through the kernel: a result or a typed refusal', () => {
  let iges = '';
  beforeAll(async () => {
    const k = await openingKernel();
    k.FS.writeFile('/a.stp', dataFile('cube-mm.step'));
    const step = new k.STEPControl_Reader_1();
    step.ReadFile('/a.stp');
    step.TransferRoots(new k.Message_ProgressRange_1());
    const writer = new k.IGESControl_Writer_2('MM', 1);
    writer.AddShape(step.OneShape(), new k.Message_ProgressRange_1());
    writer.ComputeModel();
    writer.Write_2('/o.igs', false);
    iges = Buffer.from(k.FS.readFile('/o.igs')).toString('latin1');
  });
  test('STEP', async () => {
    const counts = await run(dataFile('cube-mm.step').toString('latin1'), 'fuzz.step', 21);
    expect(counts.refused).toBeGreaterThan(0);
  });
  test('IGES', async () => {
    const counts = await run(iges, 'fuzz.igs', 22);
    expect(counts.read + counts.refused).toBeGreaterThan(0);
  });
});
