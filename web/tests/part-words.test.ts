/** What pages say of a part, of its file and of a proposal, and what is asked for by what is typed. */
import { describe, expect, test } from 'vitest';
import type { PartView } from '@tall-kite/server/jobs/part-views';
import type { PartSummary } from 'tall-kite/model/design';
import { footOf } from '../ledger/foot.ts';
import { changedFields, firstTyped, variantWish, wrongWith } from '../ledger/properties.ts';
import { comparedRows, distanceText } from '../light-table/panels/compared.ts';
import { soundnessOf } from '../light-table/panels/soundness.ts';
import { noEvidence } from '../light-table/no-evidence.ts';

const finding = (code: string) => ({ code, severity: 'stop' as const, count: 1, message: `It has ${code}.`, remedy: `Mend ${code}.` });
type Mark = 'none' | 'clear' | 'look' | 'stop';
const step = (name: string, mark: Mark, code = '') => ({ step: name, mark, finding: code ? finding(code) : null });
/** A strand of a way whose figure stands at a step, with a file of its own or another part's. */
const strand = (name: string, mark: Mark, made: { id: string; name: string } | null = null) => ({
  form: { step: name, mark },
  steps: [{ step: name }, ...(made ? [] : [{ step: 'File' }])],
  made,
});
const partOf = (steps: object[], strands: object[], file: object | null = null) =>
  ({ steps, strands, file }) as unknown as Pick<PartView, 'steps' | 'strands' | 'file'>;

describe('the foot of the ledger', () => {
  const solid = strand('Facets', 'clear');
  test('the worst is said, the first of equals, and the way leads to where it is mended', () => {
    const foot = footOf(partOf([step('Size', 'look', 'tiny-part'), step('Soundness', 'stop', 'open'), step('Stance', 'stop', 'overhang')], [solid]));
    expect(foot).toMatchObject({ mark: 'stop', sentence: 'It has open.', remedy: 'Mend open.', first: { step: 'Soundness', mends: true }, oddSize: false });
    // Found by reading the file, mended by standing otherwise.
    expect(footOf(partOf([step('Size', 'clear'), step('Received', 'stop', 'overhang')], [solid])).first).toEqual({ step: 'Stance', mends: true });
  });
  test('an unlikely size is told as such', () => {
    expect(footOf(partOf([step('Size', 'look', 'unit-unknown'), step('Soundness', 'clear')], [solid])).oddSize).toBe(true);
    expect(footOf(partOf([step('Size', 'clear'), step('Soundness', 'clear')], [solid])).oddSize).toBe(false);
  });
  test('nothing wrong: ready, or proved once its file is written', () => {
    const steps = [step('Size', 'clear'), step('Soundness', 'clear')];
    expect(footOf(partOf(steps, [solid]))).toMatchObject({ mark: 'clear', sentence: 'Ready.', first: { step: 'Facets', mends: false }, next: null });
    const written = footOf(partOf(steps, [solid], { state: 'written' }));
    expect(written).toMatchObject({ sentence: 'The file agrees with the design.', write: { can: true, words: 'Write again' } });
  });
  test('the file: not while it is written, not past a stop, not where another part has it', () => {
    const steps = [step('Soundness', 'clear')];
    expect(footOf(partOf(steps, [solid])).write).toEqual({ can: true, words: 'Write the file' });
    expect(footOf(partOf(steps, [solid], { state: 'writing' })).write).toEqual({ can: false, words: 'Being written …' });
    expect(footOf(partOf(steps, [solid], { state: 'queued' })).write!.can).toBe(false);
    expect(footOf(partOf([step('Soundness', 'stop', 'open')], [solid])).write!.can).toBe(false);
    // A failed one can be tried again.
    expect(footOf(partOf(steps, [solid], { state: 'failed' }))).toMatchObject({ file: null, write: { can: true, words: 'Write the file' } });
    const flat = { id: 'f', name: 'Tray, flat' };
    expect(footOf(partOf(steps, [strand('Unfold', 'clear', flat)]))).toMatchObject({ write: null, made: flat });
  });
  test('another way whose step is still ahead is offered, but not before what is wrong is mended', () => {
    const ways = [solid, strand('Unfold', 'none')];
    expect(footOf(partOf([step('Soundness', 'clear')], ways)).next).toBe('Unfold');
    expect(footOf(partOf([step('Soundness', 'look', 'thin')], ways)).next).toBe(null);
    expect(footOf(partOf([step('Soundness', 'clear')], [strand('Unfold', 'none')])).next).toBe(null);
  });
});

describe('properties of chosen parts', () => {
  const mast = { id: '1', number: 'WS-1', material: 'steel', thickness: 1.5, variant: '' };
  const cup = { id: '2', number: 'WS-2', material: 'PETG', thickness: 1.5, variant: '' };
  test('fields show what all share', () => {
    expect(firstTyped([mast], false)).toMatchObject({ number: 'WS-1', material: 'steel', thickness: '1.5' });
    expect(firstTyped([mast, cup], false)).toMatchObject({ number: '', material: '', thickness: '1.5' });
    expect(firstTyped([{ ...mast, thickness: null, variant: 'tall' }], true)).toMatchObject({ thickness: '', variant: '', times: '1' });
  });
  test('only what is another is set; a number for one part alone', () => {
    const typed = firstTyped([mast, cup], false);
    expect(changedFields([mast, cup], typed)).toEqual({});
    expect(changedFields([mast, cup], { ...typed, number: 'WS-9', material: ' brass ' })).toEqual({ material: 'brass' });
    expect(changedFields([mast, cup], { ...typed, thickness: '' })).toEqual({ thickness: null });
    expect(changedFields([mast], { ...firstTyped([mast], false), number: 'WS-9', thickness: '2,5' })).toEqual({ number: 'WS-9', thickness: 2.5 });
  });
  test.each([
    ['0', false],
    ['0.001', true],
    ['1000', true],
    ['1000.1', false],
    ['thin', false],
    ['', true],
  ])('a thickness of "%s" mm is taken: %s', (thickness, taken) => {
    expect(wrongWith({ ...firstTyped([mast], false), thickness }, false) === null).toBe(taken);
  });
  test.each([
    ['0', false],
    ['1', true],
    ['9999', true],
    ['10000', false],
    ['1.5', false],
  ])('a quantity times %s is taken: %s', (times, taken) => {
    expect(wrongWith({ ...firstTyped([mast], true), variant: 'tall', times }, true) === null).toBe(taken);
  });
  test('a variant needs a name; what is left empty stays as it is', () => {
    const typed = { ...firstTyped([mast, cup], true), times: '3' };
    expect(wrongWith(typed, true)).toBe('');
    expect(variantWish([mast, cup], { ...typed, variant: ' tall ' })).toEqual({ parts: ['1', '2'], variant: 'tall', times: 3, material: null, thickness: 1.5 });
  });
});

describe('what a proposal changed', () => {
  test('every figure of a mended mesh, before and after', () => {
    const before = {
      triangles: 12_345,
      openEdges: 72,
      nonManifoldEdges: 1,
      flippedEdges: 0,
      degenerateTriangles: 56,
      selfIntersections: 0,
      shells: 18,
      closed: false,
    };
    const after = { ...before, triangles: 12_300, openEdges: 0, nonManifoldEdges: 0, degenerateTriangles: 0, shells: 1, closed: true };
    const rows = Object.fromEntries(comparedRows({ mend: { before, after } as never }).map(([name, b, a]) => [name, `${b} > ${a}`]));
    expect(rows).toEqual({
      'Open edges': '72 > 0',
      'Edges of more than two': '1 > 0',
      'Flipped edges': '0 > 0',
      'Without area': '56 > 0',
      'Crossing pairs': '0 > 0',
      Shells: '18 > 1',
      Triangles: '12,345 > 12,300',
      Closed: 'no > yes',
    });
  });
  test('volumes have their unit; a drawing its counts; nothing to count, no rows', () => {
    const combine = { pieces: 2, note: null, volumeBefore: 2e9, volumeAfter: 1.5e9, exact: true };
    expect(comparedRows({ combine })).toEqual([['Volume (mm³)', '2,000,000,000', '1,500,000,000'], ['Pieces', '', '2']]); // prettier-ignore
    const figures = { contours: 9, open: 2, segments: 40, doubles: 1, crossings: 0, tiny: 3 };
    expect(comparedRows({ clean: { before: figures, after: { ...figures, open: 0 }, moved: 0 } as never })[1]).toEqual(['Open', '2', '0']);
    expect(comparedRows({})).toEqual([]);
  });
  test('a distance that is rounding only is nothing', () => {
    expect([9.9e-6, 1e-5, 0.05, 12.34].map(distanceText)).toEqual(['0 mm', '0.000010 mm', '0.050 mm', '12.3 mm']);
  });
});

describe('soundness in words', () => {
  const mesh = (change: object) =>
    ({ kind: 'mesh', triangles: 1200, openEdges: 0, nonManifoldEdges: 0, flippedEdges: 0, shells: 1, area: 5000, volume: 8000, ...change }) as PartSummary;
  test('a closed body in file numbers of inches has its volume in mm3', () => {
    const sound = soundnessOf(mesh({ volume: 2 }), 25.4);
    expect(sound).toMatchObject({ mark: 'clear', kind: 'mesh, 1,200 triangles', holds: ['Volume', '32,774.13 mm³'] });
  });
  test.each([['openEdges'], ['nonManifoldEdges'], ['flippedEdges']])('one edge of %s is a stop, and no volume is told', (edges) => {
    expect(soundnessOf(mesh({ [edges]: 1 }), 1)).toMatchObject({ mark: 'stop', holds: ['Volume', 'none: not closed'] });
  });
  test('exact surfaces are closed as they are read', () => {
    expect(soundnessOf({ kind: 'solid', faces: 6, shells: 1, volume: 1000 } as PartSummary, 1)).toMatchObject({
      mark: 'clear',
      kind: 'solid, exact surfaces',
      patch: false,
    });
  });
});

describe('no evidence', () => {
  const of = (file: object | null) => noEvidence(file as PartView['file']);
  test('at work, failed with its remedy, or nothing written', () => {
    expect(of({ state: 'writing' })).toBe(of({ state: 'queued' }));
    expect(of({ state: 'failed', failure: { code: 'x', message: 'It is open.', remedy: 'Mend it.' } })).toBe('It is open. Mend it.');
    expect(of(null)).toMatch(/^None yet/);
  });
});
