import occt from 'occt-import-js';
import { beforeAll, describe, expect, test } from 'vitest';
import { readDesign } from '../src/pipeline/read.ts';
import { readStepHeader } from '../src/formats/step/header.ts';
import { nodeKernels, workingKernel } from '../src/kernel/load.ts';
import { SolidBuilder } from '../src/kernel/build.ts';
import { dataFile } from './data.ts';

const read = (name: string) => readDesign(dataFile(name), name, nodeKernels);

describe('STEP against figures of independent readers (tests/data/README.md)', () => {
  test('as1-oc-214.stp: 18 solids, 160 faces, volume 764519.81 mm3 within 0.01 %, names and colours', async () => {
    const design = await read('as1-oc-214.stp');
    const sum = (f: (p: (typeof design.parts)[0]['summary']) => number) => design.parts.reduce((s, p) => s + f(p.summary) * p.summary.quantity, 0);
    expect(sum(() => 1)).toBe(18);
    expect(sum((p) => p.faces!)).toBe(160);
    expect(Math.abs(sum((p) => p.volume) / 764519.81 - 1)).toBeLessThan(1e-4);
    expect(Math.abs(sum((p) => p.area) / 141079.3 - 1)).toBeLessThan(1e-4);
    expect(design.parts.map((p) => [p.summary.name, p.summary.quantity])).toEqual([['nut', 8], ['rod', 1], ['bolt', 6], ['l-bracket', 2], ['plate', 1]]); // prettier-ignore
    expect(design.parts[0].summary.path).toEqual(['as1', 'rod-assembly', 'nut']);
    expect(design.parts.every((p) => /^#[0-9a-f]{6}$/.test(p.summary.colour!))).toBe(true);
    expect(design).toMatchObject({ format: 'STEP', version: 'AP214', unit: 'mm', findings: [{ code: 'whole-as-stated', severity: 'clear' }] });
  });
  test('cubes written in mm, m and inch are all 1000 mm', async () => {
    for (const [name, unit] of [
      ['cube-mm.step', 'mm'],
      ['cube-m.step', 'm'],
      ['cube-in.step', 'in'],
    ]) {
      // prettier-ignore
      const design = await read(name);
      expect(design.unit).toBe(unit);
      const { box, volume } = design.parts[0].summary;
      for (let k = 0; k < 3; k++) expect(box.max[k] - box.min[k]).toBeCloseTo(1000, 5);
      expect(volume).toBeCloseTo(1e9, 0);
    }
  });
  test('dm1 (7 solids, volume 108453.85) and screw (10 faces, volume 3788.2706, area 1929.3327)', async () => {
    const dm1 = await read('dm1-oc-214.stp');
    expect(dm1.parts.reduce((s, p) => s + p.summary.quantity, 0)).toBe(7);
    expect(dm1.parts.reduce((s, p) => s + p.summary.quantity * p.summary.volume, 0)).toBeGreaterThan(108453.85 * (1 - 1e-5));
    // That reader sums over round faces in fixed steps, which is good to some millionths; the sum itself is less.
    expect(dm1.parts.reduce((s, p) => s + p.summary.quantity * p.summary.volume, 0)).toBeLessThan(108453.85);
    const screw = (await read('screw.step')).parts[0].summary;
    expect(screw.faces).toBe(10);
    expect(screw.volume).toBeCloseTo(3788.2706, 3);
    // Spline edges of the file lie 0.0003 mm off the torus that they bound: what is between them is nobody's.
    expect(screw.area).toBeCloseTo(1929.3327, 2);
  });
});

describe('what the project writes as STEP, read by occt-import-js', () => {
  let bytes: Uint8Array;
  beforeAll(async () => {
    const b = new SolidBuilder(await workingKernel());
    const block = b.box([0, 0, 0], [10, 20, 30]);
    bytes = b.step('Frame', [{ name: 'Block', colour: '#33548c', shape: block, places: [[0, 0, 0], [50, 0, 0]] }]); // prettier-ignore
  });
  test('two blocks with their name and size', async () => {
    const reader = await occt();
    const result = reader.ReadStepFile(bytes, null);
    expect(result.success).toBe(true);
    expect(result.meshes.map((m: { name: string }) => m.name)).toEqual(['Block', 'Block']);
    const xs = result.meshes.flatMap((m: { attributes: { position: { array: number[] } } }) => m.attributes.position.array.filter((_, i) => i % 3 === 0));
    expect([Math.min(...xs), Math.max(...xs)]).toEqual([0, 60]);
  });
  test('and by the project itself: one part, quantity 2, its colour kept', async () => {
    const design = await readDesign(bytes, 'frame.step', nodeKernels);
    expect(design.parts).toHaveLength(1);
    expect(design.parts[0].summary).toMatchObject({ name: 'Block', quantity: 2, colour: '#33548c', path: ['Frame', 'Block'] });
  });
});

describe('names', () => {
  test('a name that a translator made up is replaced by that of the file', async () => {
    expect(dataFile('loft.step').toString('latin1')).toContain('STEP translator');
    expect((await read('loft.step')).parts[0].summary).toMatchObject({ name: 'loft', path: ['loft'] });
  });
});

describe('bad STEP', () => {
  const text = dataFile('cube-mm.step').toString('latin1');
  const codeOf = async (bytes: Uint8Array, name = 'x.step') => readDesign(bytes, name, nodeKernels).then((d) => d.findings.map((f) => f.code).join(), (e) => e.code); // prettier-ignore
  test('cut off, empty, not STEP, unknown ending: refused with a sentence', async () => {
    expect(await codeOf(Buffer.from(text.slice(0, text.length / 2)))).toBe('cut-off');
    expect(await codeOf(new Uint8Array(0))).toBe('empty-file');
    expect(await codeOf(Buffer.from('hello'))).toBe('not-step');
    expect(await codeOf(Buffer.from('hello'), 'letter.txt')).toBe('unknown-format');
  });
  test('a reference to nothing is a stop with its number', () => {
    const broken = text.replace(/MANIFOLD_SOLID_BREP\('([^']*)',#\d+\)/, "MANIFOLD_SOLID_BREP('$1',#999999)");
    expect(broken).not.toBe(text);
    expect(readStepHeader(Buffer.from(broken, 'latin1')).findings).toMatchObject([{ code: 'broken-references', severity: 'stop' }]);
    expect(readStepHeader(Buffer.from(broken, 'latin1')).findings[0].message).toContain('#999999');
  });
  test('STEP under another ending is read and said', async () => {
    expect(await codeOf(Buffer.from(text), 'cube.stl')).toBe('other-ending');
  });
  test('a hash sign in a text is no reference, and the word DATA in the header is no section', () => {
    expect(readStepHeader(dataFile('screw.step')).findings).toEqual([]);
  });
});
