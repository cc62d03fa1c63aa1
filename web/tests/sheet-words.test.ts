/** What is typed for an unfolding and for a bend table; what a release says before and after. */
import { describe, expect, test } from 'vitest';
import type { Material } from 'tall-kite/materials/materials';
import { usualFlatten } from 'tall-kite/sheet/pattern';
import type { ReleaseRowView } from '@tall-kite/server/releases/report';
import type { PlanView } from '@tall-kite/server/releases/releases';
import { outlookOf } from '../releases/outlook.ts';
import { markOf, sentenceOf } from '../releases/rows.ts';
import { flatMaterial, knownOf, shareFits, shareTyped, typedFlatten } from '../sheet/flatten.ts';
import { tableTyped, typedOf } from '../stores/bend-rows.ts';

const steel: Material = { name: 'Steel S235', also: ['s235'], density: 7.9, comes: [{ thickness: 2, minus: 0.15, plus: 0.1 }], bends: 'table-1' };

describe('what is typed for an unfolding', () => {
  const usual = { tolerance: '5', density: 2.7 };
  const empty = { tool: '', tolerance: null, density: '' };
  test('empty fields stand for what is usual', () => {
    expect(typedFlatten(empty, usual)).toEqual({ radius: null, tolerance: 0.05, density: 2.7 });
    expect(typedFlatten(empty, { tolerance: '5', density: null })!.density).toBe(null);
  });
  test('what is typed goes before', () => {
    expect(typedFlatten({ tool: '1,5', tolerance: '10', density: '8' }, usual)).toEqual({ radius: 1.5, tolerance: 0.1, density: 8 });
  });
  test.each([
    [{ tool: '0' }, true],
    [{ tool: '-0.1' }, false],
    [{ tool: '10000' }, true],
    [{ tool: '10001' }, false],
    [{ tolerance: '0.1' }, true],
    [{ tolerance: '0.09' }, false],
    [{ tolerance: '20' }, true],
    [{ tolerance: '20.1' }, false],
    [{ tolerance: '' }, false],
    [{ density: '0' }, false],
    [{ density: '30' }, true],
    [{ density: '30.1' }, false],
    [{ density: 'heavy' }, false],
  ])('%j is taken: %s', (change, taken) => {
    expect(typedFlatten({ ...empty, ...change }, usual) !== null).toBe(taken);
  });
  test('a field shows that its share does not fit', () => {
    expect([shareFits(shareTyped('0.1')), shareFits(shareTyped('0.09')), shareFits(shareTyped('x'))]).toEqual([true, false, false]);
  });
  test('a stored sheet brings its bend table and by how much it may differ: the wider of its two sides, in %', () => {
    const known = knownOf([steel], 'S235', 2);
    expect(known).toMatchObject({ bends: 'table-1', doubt: null });
    expect(Number(known.tolerance)).toBeCloseTo((100 * 0.15) / 2, 9);
    // A thickness in which it does not come is told, and differs by what is usual.
    const odd = knownOf([steel], 'S235', 3);
    expect(odd.doubt!.message).toMatch(/Steel S235 does not come 3 mm thick/);
    expect(odd.tolerance).toBe(String(usualFlatten.tolerance * 100));
    expect(knownOf([steel], 'felt', 2)).toMatchObject({ bends: undefined, doubt: null });
  });
  test('a sheet that hardly differs is still asked for within what can be; so is one that differs much', () => {
    const of = (minus: number) => Number(knownOf([{ ...steel, comes: [{ thickness: 10, minus, plus: 0 }] }], 'S235', 10).tolerance);
    expect([of(0), of(0.01), of(2), of(2.5)]).toEqual([0.1, 0.1, 20, 20]);
  });
  test('the material is that of the part, else that of the bend table, and has its weight', () => {
    expect(flatMaterial(' s235 ', 'brass', [steel])).toEqual({ material: 's235', density: 7.9 });
    expect(flatMaterial('', 'Steel S235', [steel])).toEqual({ material: 'Steel S235', density: 7.9 });
    expect(flatMaterial('', undefined, [steel])).toEqual({ material: '', density: null });
  });
});

describe('a bend table as it is typed', () => {
  const whole = { name: 'Shop', material: 'S235', thickness: '2', gives: 'k' as const, rows: [{ radius: '1', angle: '90', value: '0,42' }] };
  test('it comes back as it is kept', () => {
    const { table, bad } = tableTyped(whole);
    expect(table).toEqual({ name: 'Shop', material: 'S235', thickness: 2, gives: 'k', rows: [{ radius: 1, angle: 90, value: 0.42 }] });
    expect(bad).toEqual([false]);
    expect(tableTyped(typedOf(table)).table).toEqual(table);
    expect(tableTyped(typedOf({ ...table!, thickness: null })).table!.thickness).toBe(null);
  });
  test('without a name, with a bad thickness, without a row or with a bad one it is none', () => {
    expect(tableTyped({ ...whole, name: ' ' }).table).toBe(null);
    expect(tableTyped({ ...whole, thickness: '0' }).table).toBe(null);
    expect(tableTyped({ ...whole, rows: [] }).table).toBe(null);
    expect(tableTyped(typedOf(null))).toEqual({ table: null, bad: [true] });
    const twice = tableTyped({ ...whole, rows: [...whole.rows, { radius: '1.0', angle: '90', value: '0.4' }] });
    expect(twice).toEqual({ table: null, bad: [false, true] });
  });
  test.each([
    ['300', true],
    ['300.1', false],
    ['0', false],
  ])('an angle of %s degrees is taken: %s', (angle, taken) => {
    expect(tableTyped({ ...whole, rows: [{ radius: '0', angle, value: '0.4' }] }).table !== null).toBe(taken);
  });
});

describe('a release', () => {
  const plan = (change: Partial<PlanView>): PlanView => ({ files: 3, skipped: 0, rows: [{}, {}, {}] as PlanView['rows'], clashes: [], ...change });
  const clash = { name: 'Lark/Cup_A.stl', rows: [0, 1] };
  test('what would be made, and what is skipped', () => {
    expect(outlookOf(plan({}), [], false)).toMatchObject({ can: true, words: 'Make 3 files', counts: '3 files', clash: null, more: 0 });
    expect(outlookOf(plan({ files: 1, skipped: 2 }), [], false)).toMatchObject({ words: 'Make 1 file', counts: '1 file, 2 skipped' });
    expect(outlookOf(plan({ files: 400, skipped: 5 }), [], false).more).toBe(402);
  });
  test('nothing to make, or no plan, can not be begun', () => {
    expect(outlookOf(plan({ files: 0, skipped: 3 }), [], false).can).toBe(false);
    expect(outlookOf(null, [], false)).toMatchObject({ can: false, words: 'Make files', counts: '', more: 0 });
  });
  test('names that clash are numbered, or keep it from being made', () => {
    expect(outlookOf(plan({}), [clash], false)).toMatchObject({ can: true, clash: { mark: 'look', names: 'One name', first: clash.name, files: 2 } });
    expect(outlookOf(plan({}), [clash, clash], true)).toMatchObject({ can: false, clash: { mark: 'stop', names: '2 names' } });
  });
  const row = (change: Partial<ReleaseRowView>) =>
    ({ state: 'made', verdict: 'clear', delivery: 'none', deliverySaid: null, finding: '', sha256: 'ab', ...change }) as ReleaseRowView;
  test('a file that did not arrive wants a look, and says why; one that was refused is a stop', () => {
    const lost = row({ delivery: 'failed', deliverySaid: 'The inbox could not be reached.' });
    expect([markOf(lost), sentenceOf(lost)]).toEqual(['look', 'The file agrees with the design. It was not delivered: The inbox could not be reached.']);
    expect(markOf(row({ delivery: 'failed', verdict: 'stop' }))).toBe('stop');
    const refused = row({ delivery: 'refused', deliverySaid: 'Off the bed.' });
    expect([markOf(refused), sentenceOf(refused)]).toEqual(['stop', 'The receiver refused it: Off the bed.']);
    expect([markOf(row({ delivery: 'accepted' })), sentenceOf(row({ delivery: 'accepted' }))]).toEqual(['clear', 'The file agrees with the design.']);
    expect(sentenceOf(row({ state: 'queued', sha256: null }))).toBe('Not made yet.');
    expect(sentenceOf(row({ finding: 'Volume: off.' }))).toBe('Volume: off.');
  });
});
