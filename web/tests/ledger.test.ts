import { describe, expect, test } from 'vitest';
import type { PartView } from '@tall-kite/server/jobs/part-views';
import type { ReleaseRowView } from '@tall-kite/server/releases/report';
import { choicesOf, noFilter, none, shownBy } from '../ledger/filter.ts';
import { plainName, revisionOf } from '../ledger/Revisions.tsx';
import { allRows, markOf, shownRows, timeLeft } from '../releases/rows.ts';

/** As much of a part as the ledger's filter looks at. */
const part = (name: string, change: object = {}): PartView =>
  ({ name, number: '', material: '', thickness: null, variant: '', designName: 'kit.step', change: null, steps: [], strands: [{ name: 'Print' }], summary: { kind: 'solid', path: [name] }, ...change }) as unknown as PartView; // prettier-ignore

describe('what the ledger shows', () => {
  const parts = [
    part('Cup', { material: 'PETG', thickness: 1.5, number: 'WS-1', steps: [{ mark: 'clear' }, { mark: 'look' }] }),
    part('Mast', { material: 'steel', thickness: 10, summary: { kind: 'solid', path: ['Frame', 'Mast'] }, change: { state: 'new', what: [] } }),
    part('Sign', { summary: { kind: 'drawing', path: ['Sign'] }, steps: [{ mark: 'stop' }, { mark: 'none' }] }),
  ];
  const names = (filter: object) => parts.filter((p) => shownBy({ ...noFilter, ...filter }, p)).map((p) => p.name);
  test('every word has to be found, in any field; choices narrow further', () => {
    expect(names({ text: '' })).toEqual(['Cup', 'Mast', 'Sign']);
    expect(names({ text: 'ws petg' })).toEqual(['Cup']);
    expect(names({ text: 'frame' })).toEqual(['Mast']);
    expect(names({ text: 'ws steel' })).toEqual([]);
    expect(names({ kind: 'drawing' })).toEqual(['Sign']);
    expect(names({ material: none })).toEqual(['Sign']);
    expect(names({ thickness: '1.5 mm' })).toEqual(['Cup']);
    expect(names({ mark: 'look' })).toEqual(['Cup']);
    expect(names({ mark: 'stop' })).toEqual(['Sign']);
    expect(names({ change: 'new', text: 'mast' })).toEqual(['Mast']);
    expect(names({ branch: 'Frame' })).toEqual(['Mast']);
  });
  test('a choice is offered only where parts differ; numbers in their own order', () => {
    const fields = Object.fromEntries(choicesOf(parts).map((c) => [c.field, c.values]));
    expect(fields.thickness).toEqual([none, '1.5 mm', '10 mm']);
    expect(fields.variant).toBeUndefined();
  });
});

describe('files that may be a next revision', () => {
  test.each([
    ['housing_B.step', 'housing'],
    ['Housing-rev2.STEP', 'housing'],
    ['housing v12.stp', 'housing'],
    ['mast clamp.step', 'mastclamp'],
    ['plate3.dxf', 'plate'],
    ['B.step', 'b'],
  ])('%s is %s', (name, plain) => {
    // prettier-ignore
    expect(plainName(name)).toBe(plain);
  });
  test('the same name first, then the same plain name; a design whose parts are all gone is none', () => {
    const job = (states: (string | null)[]) =>
      ({
        designs: [{ id: 'a', fileName: 'kit_A.step', state: 'read' }, { id: 'b', fileName: 'kit_B.step', state: 'read' }], // prettier-ignore
        parts: [{ designId: 'a', change: states[0] && { state: states[0] } }, { designId: 'b', change: states[1] && { state: states[1] } }], // prettier-ignore
      }) as never;
    expect(revisionOf('KIT_b.step', job([null, null]))!.id).toBe('b');
    expect(revisionOf('kit_C.step', job([null, null]))!.id).toBe('a');
    expect(revisionOf('kit_C.step', job(['gone', null]))!.id).toBe('b');
    expect(revisionOf('mast.step', job([null, null]))).toBeNull();
  });
});

describe('rows of a release', () => {
  const row = (change: object) => ({ part: 'Cup', parts: [], name: 'Lark/Cup.stl', source: 'kit.step', receiver: 'Lark', finding: '', state: 'made', verdict: 'clear', delivery: 'none', ...change }) as unknown as ReleaseRowView; // prettier-ignore
  test('the mark: a refusal of the receiver is a stop whatever the evidence says; what is not made yet has none', () => {
    expect(markOf(row({}))).toBe('clear');
    expect(markOf(row({ delivery: 'refused' }))).toBe('stop');
    expect(markOf(row({ state: 'skipped' }))).toBe('look');
    expect(markOf(row({ state: 'failed', verdict: 'stop' }))).toBe('stop');
    expect(markOf(row({ state: 'making', verdict: null }))).toBe('none');
  });
  test('shown by words and choices', () => {
    const rows = [row({}), row({ part: 'Beds', parts: ['Cup', 'Vane'], receiver: 'Wren', state: 'same' }), row({ finding: 'overhang', verdict: 'look' })];
    const shown = (f: object) => shownRows(rows, { ...allRows, ...f }).map((r) => rows.indexOf(r));
    expect(shown({})).toEqual([0, 1, 2]);
    expect(shown({ text: 'vane' })).toEqual([1]);
    expect(shown({ mark: 'look' })).toEqual([2]);
    expect(shown({ state: 'same', receiver: 'Wren' })).toEqual([1]);
    expect(shown({ text: 'cup overhang' })).toEqual([2]);
  });
  test('a time left in a unit that fits it', () => {
    expect([0, 45, 60, 600, 5400, 9000].map(timeLeft)).toEqual(['about 1 s left', 'about 45 s left', 'about 1 min left', 'about 10 min left', 'about 1.5 h left', 'about 2.5 h left']); // prettier-ignore
  });
});
