import { describe, expect, test } from 'vitest';
import type { PartSummary } from '../src/model/design.ts';
import { claimFigure, designedFigure, unitText } from '../src/prove/page.ts';
import { atMost, evidenceOf, same, within } from '../src/prove/evidence.ts';
import { asUnusable, Unusable, worst } from '../src/base/finding.ts';
import { bytesText, durationText, lengthText, threeLengths } from '../src/base/figures.ts';
import { sizeFinding } from '../src/steps/size.ts';
import { isStopped, stepsOf } from '../src/steps/registry.ts';
import { firstRecipe, scaleOf } from '../src/recipe/recipe.ts';
import { receiverIn } from '../src/receivers/receivers.ts';
import { readyReceivers } from '../src/receivers/ready.ts';
import { receiveStl } from '../src/processes/printer.ts';
import { binaryStl } from '../src/formats/stl/write.ts';
import { meshView, packView, unpackView } from '../src/view/view.ts';
import { thumbOf } from '../src/view/thumb.ts';
import { boxMesh, prismMesh } from './data.ts';

const summary = (size: [number, number, number], more: Partial<PartSummary> = {}): PartSummary => ({
  name: 'Part', path: ['Part'], kind: 'mesh', quantity: 1, colour: null, box: { min: [0, 0, 0], max: size }, volume: 1, area: 1, centre: [0, 0, 0],
  faces: null, triangles: 12, shells: 1, openEdges: 0, nonManifoldEdges: 0, flippedEdges: 0, degenerateTriangles: 0, survey: null, unit: null, format: 'STL', ...more,
}); // prettier-ignore
const stop = { code: 'open-edges', severity: 'stop' as const, count: 3, message: 'Not closed.', remedy: 'Close it.' };
const written = (more: object = {}) => ({
  state: 'written' as const, fileName: 'Part_mm.stl', bytes: 684, failure: null, stale: false, recipe: firstRecipe({ survey: null }, readyReceivers),
  evidence: evidenceOf([within('Length X', 'mm', [10, 10], 0.1)], []), ...more,
}); // prettier-ignore
const marks = (part: object, file: ReturnType<typeof written> | null = null) => {
  const of = summary([10, 20, 30]);
  return stepsOf({ summary: of, findings: [], recipe: firstRecipe(of, readyReceivers), quantity: 1, ...part } as never, file as never).map((s) => s.mark);
};

describe('the seven cells of a row', () => {
  test('clear as far as the part is ready; not written is not reached', () => {
    expect(marks({})).toEqual(['clear', 'clear', 'clear', 'clear', 'clear', 'none', 'none']);
    expect(marks({}, written())).toEqual(Array(7).fill('clear'));
  });
  test('a stop at soundness cuts the thread there', () => {
    expect(marks({ findings: [stop] })).toEqual(['clear', 'clear', 'stop', 'none', 'none', 'none', 'none']);
  });
  test('a look does not cut it', () => {
    expect(marks({ findings: [{ ...stop, severity: 'look' }] })).toEqual(['clear', 'clear', 'look', 'clear', 'clear', 'none', 'none']);
  });
  test('a file older than the settings is to be looked at; one that failed is a stop with its sentence', () => {
    expect(marks({}, written({ stale: true }))[5]).toBe('look');
    const failed = written({ state: 'failed', evidence: null, failure: { code: 'x', message: 'It failed.', remedy: 'Try again.' } });
    const steps = stepsOf({ summary: summary([1, 2, 30]), findings: [], recipe: firstRecipe({ survey: null }, readyReceivers), quantity: 1 }, failed as never);
    expect(steps.find((s) => s.step === 'File')).toMatchObject({ mark: 'stop', finding: { message: 'It failed.' } });
  });
  test('a claim that failed is told with both figures', () => {
    const evidence = evidenceOf([within('Length X', 'mm', [254, 10], 0.1)], []);
    const steps = stepsOf(
      { summary: summary([10, 20, 30]), findings: [], recipe: firstRecipe({ survey: null }, readyReceivers), quantity: 1 },
      written({ evidence }) as never,
    );
    expect(steps.find((s) => s.step === 'Received')!.finding!.message).toBe('Length X: designed 254, received 10 mm.');
  });
});

describe('which steps keep a file back', () => {
  test('a stop before the file keeps it from being written; one in it does not', () => {
    const of = (step: 'Size' | 'File', beforeFile: boolean) => ({
      step,
      column: step,
      beforeFile,
      mark: 'stop' as const,
      figure: '',
      context: '',
      finding: null,
    });
    expect(isStopped([of('Size', true)])).toBe(true);
    expect(isStopped([of('File', false)])).toBe(false);
  });
});

describe('whether a size is believable', () => {
  const of = (size: [number, number, number], more = {}, recipe = {}) =>
    sizeFinding(summary(size, more), { ...firstRecipe({ survey: null }, readyReceivers), ...recipe })?.severity ?? 'clear';
  test('unitless: likely, small, tiny, too large', () => {
    expect([of([20, 20, 20]), of([3, 2, 1]), of([0.5, 0.5, 0.5]), of([2000, 10, 10])]).toEqual(['clear', 'look', 'stop', 'stop']);
  });
  test('a unit from the file or a choice of the person is not doubted, but the bed is', () => {
    expect(of([0.5, 0.5, 0.5], { unit: 'mm', format: 'STEP' })).toBe('clear');
    expect(of([0.5, 0.5, 0.5], {}, { size: { reading: 'mm', factor: 1 } })).toBe('clear');
    expect(of([2000, 10, 10], { unit: 'mm', format: 'STEP' })).toBe('look');
  });
  test('it may lie on the bed in any of the three directions', () => {
    expect(of([205, 215, 245])).toBe('stop');
    expect(of([205, 205, 245])).toBe('clear');
  });
  test('readings and factors multiply; STEP is mm already', () => {
    const recipe = { ...firstRecipe({ survey: null }, readyReceivers), size: { reading: 'in', factor: 2 } };
    expect(scaleOf({ unit: null, format: 'STL' }, recipe)).toBe(50.8);
    expect(scaleOf({ unit: 'in', format: 'STEP' }, recipe)).toBe(2);
  });
});

describe('the stand-in printer reads bytes and nothing else', () => {
  const bytes = (mesh = boxMesh(10, 20, 30), perUnit = 1) => Buffer.concat([...binaryStl(mesh, perUnit, 'x')]);
  const codes = (b: Buffer, id = 'lark') => receiveStl(b, receiverIn(readyReceivers, id)).findings.map((f) => f.code);
  test('sizes under its own assumption, and its own limits', () => {
    expect(receiveStl(bytes(), receiverIn(readyReceivers, 'lark')).measures.box.max).toEqual([10, 20, 30]);
    expect(codes(bytes())).toEqual([]);
    expect(codes(bytes(boxMesh(10, 20, 30), 25400))).toEqual(['tiny']);
    expect(codes(bytes(boxMesh(0.99, 0.5, 0.5)))).toEqual(['tiny']);
    expect(codes(bytes(boxMesh(1.01, 0.5, 0.5)))).toEqual([]);
    // No machine guesses no unit.
    expect(codes(bytes(boxMesh(0.99, 0.5, 0.5)), 'none')).toEqual([]);
    expect(codes(bytes(boxMesh(144, 20, 30)))).toEqual([]);
    expect(codes(bytes(boxMesh(144, 20, 30)), 'wren')).toEqual(['off-the-bed']);
  });
  test('too heavy for a receiver is a stop', () => {
    const small = { ...readyReceivers[0], mostTriangles: 11 };
    expect(receiveStl(bytes(), small).findings).toMatchObject([{ code: 'too-heavy', severity: 'stop' }]);
  });
  test('a receiver that takes numbers for inches sees another part', () => {
    const inches = { ...readyReceivers[0], unit: 'in' };
    expect(receiveStl(bytes(boxMesh(1, 2, 3)), inches).measures.volume).toBeCloseTo(6 * 25.4 ** 3, 3);
  });
});

describe('figures as people read them', () => {
  test('lengths, bytes, claims', () => {
    expect([lengthText(123.456), lengthText(9.999), lengthText(0.0123), lengthText(0)]).toEqual(['123.5', '10.00', '0.012', '0.00']);
    expect(threeLengths([1, 20, 300])).toBe('1.00 × 20.0 × 300.0');
    expect([bytesText(999), bytesText(1500), bytesText(2_500_000), bytesText(999_900_000), bytesText(1e9)]).toEqual([
      '999 B',
      '1.5 kB',
      '2.5 MB',
      '999.9 MB',
      '1.0 GB',
    ]);
    expect([claimFigure(96, 'mm'), claimFigure(12345.67, 'mm3'), claimFigure(3912, ''), claimFigure(0.00002, 'mm'), claimFigure('yes', '')]).toEqual([
      '96.000',
      '12\u202f345.7',
      '3\u202f912',
      '0.000020',
      'yes',
    ]);
    expect([claimFigure(1e-6, 'mm'), claimFigure(-9.9e-7, 'mm'), claimFigure(0, 'mm')]).toEqual(['0.0000010', 'under 0.001', '0.000']);
    expect([unitText('mm2'), unitText('mm3'), unitText('mm')]).toEqual(['mm²', 'mm³', 'mm']);
  });
  test('how long it takes: never nothing, and never sixty minutes', () => {
    expect([0, 0.4, 59.4, 59.6, 340, 1439.7].map(durationText)).toEqual(['1 min', '1 min', '59 min', '1 h 0 min', '5 h 40 min', '24 h 0 min']);
  });
  test('a limit reads as one, a designed figure does not', () => {
    expect(designedFigure({ designed: 0.08, unit: 'mm', tolerance: 0.08, difference: null })).toBe('at most 0.080');
    expect(designedFigure({ designed: 500_000, unit: '', tolerance: 500_000, difference: null })).toBe('at most 500\u202f000');
    expect(designedFigure({ designed: 96, unit: 'mm', tolerance: 0.08, difference: 0 })).toBe('96.000');
    expect(designedFigure({ designed: 'yes', unit: '', tolerance: null, difference: null })).toBe('yes');
  });
});

describe('verdicts', () => {
  test('the worst decides', () => {
    expect(worst([])).toBe('clear');
    expect(worst(['clear', 'look', 'clear'])).toBe('look');
    expect(evidenceOf([same('Shells', 1, 2)], []).verdict).toBe('stop');
    expect(evidenceOf([same('Shells', 1, 1)], [{ ...stop, severity: 'look' }]).verdict).toBe('look');
    expect([
      within('a', 'mm', [1, 1.05], 0.1).verdict,
      within('a', 'mm', [1, 1.2], 0.1).verdict,
      atMost('b', '', 5, 5).verdict,
      atMost('b', '', 5, 6).verdict,
    ]).toEqual(['clear', 'stop', 'clear', 'stop']);
    expect(within('a', 'mm', [1, NaN], 0.1).verdict).toBe('stop');
  });
  test('any thrown thing becomes a sentence with a remedy', () => {
    const own = new Unusable('x', 'It is so.', 'Do this.');
    expect(asUnusable(own)).toBe(own);
    expect(asUnusable(new Error('boom')).message).toBe('This could not be finished: boom.');
    expect(asUnusable('text').remedy).toMatch(/\.$/);
  });
});

describe('views', () => {
  test('a view packed and unpacked is the same; another block is refused', () => {
    const view = meshView(boxMesh(1, 2, 3));
    const back = unpackView(packView(view).buffer as ArrayBuffer);
    expect(back).toEqual(view);
    expect(() => unpackView(new ArrayBuffer(24))).toThrow(RangeError);
  });
  test('a box shows its 12 sharp edges, a fine prism not the edges between its sides', () => {
    expect(meshView(boxMesh(1, 2, 3)).edges).toHaveLength(12 * 6);
    // Two rims of 60 pieces; the sides turn by 6 degrees.
    expect(meshView(prismMesh(60, 5, 5)).edges).toHaveLength(120 * 6);
  });
  test('open edges are handed over for drawing', () => {
    const box = boxMesh(1, 2, 3);
    expect(meshView({ ...box, triangles: box.triangles.slice(3) }).open).toHaveLength(3 * 6);
  });
  test('the small drawing stays in its box of 46 by 46', () => {
    const path = thumbOf(meshView(boxMesh(100, 20, 3)));
    const numbers = path.match(/-?[\d.]+/g)!.map(Number);
    expect(numbers.length).toBeGreaterThan(20);
    expect(Math.min(...numbers)).toBeGreaterThanOrEqual(0);
    expect(Math.max(...numbers)).toBeLessThanOrEqual(46);
    expect(thumbOf({ ...meshView(boxMesh(1, 1, 1)), edges: new Float32Array(0) })).toBe('');
  });
});
