import fc from 'fast-check';
import { describe, expect, test } from 'vitest';
import type { PartView } from '@tall-kite/server/jobs/part-views';
import { branchTree, choicesOf, groupOf, noFilter, shownBy } from '../ledger/filter.ts';
import { asGiven, headHeight, ordered, rowHeight, rowsOf, type SortKey } from '../ledger/rows.ts';
import { inRoom } from '../shell/in-room.ts';
import { rebased } from '../shell/rebased.ts';
import { fieldsForWay, fieldsWithout } from '../shell/ways.ts';
import { firstRecipe } from 'tall-kite/recipe/recipe';
import { readyReceivers } from 'tall-kite/receivers/ready';

const part = (name: string, more: Record<string, unknown> = {}): PartView =>
  ({
    id: name, name, number: '', material: '', variant: '', thickness: null, quantity: 1, designName: 'file.step', leftOut: false, change: null, file: null, version: 1, ways: null,
    summary: { kind: 'solid', path: [name], quantity: 1, box: { min: [0, 0, 0], max: [1, 1, 1] }, ...((more.summary as object) ?? {}) },
    steps: [{ step: 'Size', mark: 'clear' }], strands: [{ way: 'print', name: 'Print', steps: [] }], recipe: firstRecipe({ survey: null, kind: 'solid' }, readyReceivers),
    ...Object.fromEntries(Object.entries(more).filter(([k]) => k !== 'summary')),
  }) as never; // prettier-ignore
const names = (parts: PartView[]) => parts.map((p) => p.name);

describe('the order of the ledger', () => {
  test('names as people count: M2 before M10, capitals do not matter', () => {
    const list = ['M10', 'm2', 'Bolt', 'M1'].map((n) => part(n));
    expect(names(ordered(list, { key: 'name', down: false }))).toEqual(['Bolt', 'M1', 'm2', 'M10']);
    expect(names(ordered(list, { key: 'name', down: true }))).toEqual(['M10', 'm2', 'M1', 'Bolt']);
    expect(names(ordered(list, asGiven))).toEqual(['M10', 'm2', 'Bolt', 'M1']);
  });
  test('what is stopped comes first by mark, the largest first by size', () => {
    const list = [part('a', { steps: [{ mark: 'look' }] }), part('b', { steps: [{ mark: 'clear' }] }), part('c', { steps: [{ mark: 'stop' }] })];
    expect(names(ordered(list, { key: 'mark', down: false }))).toEqual(['c', 'a', 'b']);
    const sizes = [part('s', { summary: { box: { min: [0, 0, 0], max: [1, 2, 3] } } }), part('l', { summary: { box: { min: [0, 0, 0], max: [9, 1, 1] } } })];
    expect(names(ordered(sizes, { key: 'size', down: false }))).toEqual(['l', 's']);
  });
  test('an order changes nothing but the order, and leaves the list that it was given as it was', () => {
    fc.assert(
      fc.property(
        fc.array(fc.string({ maxLength: 6 }), { maxLength: 30 }),
        fc.constantFrom<SortKey>('given', 'name', 'size', 'mark', 'way', 'file'),
        fc.boolean(),
        (list, key, down) => {
          const parts = list.map((n, i) => part(n, { id: String(i) }));
          const before = parts.map((p) => p.id);
          const after = ordered(parts, { key, down });
          expect(after.map((p) => p.id).sort()).toEqual([...before].sort());
          expect(parts.map((p) => p.id)).toEqual(before);
        },
      ),
    );
  });
  test('groups stand under their heads with their counts, every part once', () => {
    const list = [part('a', { material: 'steel' }), part('b'), part('c', { material: 'steel' }), part('d', { material: 'Alu' })];
    const rows = rowsOf(list, 'material');
    expect(rows.map((r) => ('head' in r ? `${r.head} ${r.count}` : r.part.name))).toEqual(['(none) 1', 'b', 'Alu 1', 'd', 'steel 2', 'a', 'c']);
    expect(rowsOf(list, null)).toHaveLength(4);
  });
  test('a row is as high as its strands, so that a long list scrolls true', () => {
    expect(rowHeight(part('a'))).toBe(61);
    expect(rowHeight(part('a', { strands: [{}, {}, {}] }))).toBe(61 + 2 * 52);
    expect(headHeight).toBeLessThan(61);
  });
  test('a branch groups by where the part hangs first; a part without one by its file', () => {
    expect(groupOf('branch', part('a', { summary: { path: ['Frame', 'Arm', 'a'] } }))).toBe('Frame / Arm');
    expect(groupOf('branch', part('a'))).toBe('file.step');
    expect(groupOf('way', part('a'))).toBe('Print');
  });
});

describe('the tree to choose from', () => {
  test('children stand under their parents by their own name; every occurrence is there', () => {
    const tree = branchTree(['Frame', 'Frame / Arm', 'Frame / Arm / Hand', 'Base', 'Lone / Deep']);
    expect(tree.map((n) => n.title)).toEqual(['Base', 'Frame', 'Lone / Deep']);
    expect(tree[1].children[0]).toMatchObject({ value: 'Frame / Arm', title: 'Arm', children: [{ title: 'Hand' }] });
  });
  test('parts are shown by the ways that they go', () => {
    const both = part('tray', {
      strands: [
        { way: 'fold', name: 'Fold' },
        { way: 'print', name: 'Print' },
      ],
    });
    expect(shownBy({ ...noFilter, way: 'Fold' }, both)).toBe(true);
    expect(shownBy({ ...noFilter, way: 'Carve' }, both)).toBe(false);
    expect(choicesOf([both, part('b')]).find((c) => c.field === 'way')!.values).toEqual(['Fold', 'Print']);
  });
});

describe('changes one after the other', () => {
  test('what was not touched stays as it is now; what was touched is as it was wanted', () => {
    expect(rebased({ a: 1, b: 1 }, { a: 2, b: 1 }, { a: 1, b: 3 })).toEqual({ a: 2, b: 3 });
    expect(rebased({ file: { unit: 'mm', format: 'stl' } }, { file: { unit: 'in', format: 'stl' } }, { file: { unit: 'mm', format: 'obj' } })).toEqual({
      file: { unit: 'in', format: 'obj' },
    });
    expect(rebased({ stock: null as object | null }, { stock: { w: 3 } }, { stock: null })).toEqual({ stock: { w: 3 } });
    expect(rebased({ list: [1, 2] }, { list: [1] }, { list: [1, 2] })).toEqual({ list: [1] });
    expect(rebased<Record<string, number>>({ a: 1 }, {}, { a: 1, b: 2 })).toEqual({ b: 2 });
  });
  test('on top of nothing new it is what was wanted; wanting nothing leaves what is there', () => {
    const any = fc.dictionary(
      fc.string({ maxLength: 3 }),
      fc.oneof(fc.integer(), fc.dictionary(fc.string({ maxLength: 2 }), fc.integer(), { noNullPrototype: true })),
      { noNullPrototype: true },
    );
    fc.assert(fc.property(any, any, (seen, wanted) => void expect(rebased(seen, wanted, seen)).toEqual(wanted)));
    fc.assert(fc.property(any, any, (seen, now) => void expect(rebased(seen, seen, now)).toEqual(now)));
  });
});

describe('the strip of evidence', () => {
  const claim = (name: string, verdict: 'clear' | 'look' | 'stop') => ({ name, verdict });
  const list = [claim('a', 'clear'), claim('b', 'look'), claim('c', 'clear'), claim('d', 'stop')];
  test('all when there is room, in their order; else what deviates first, and the rest is counted', () => {
    expect(inRoom(list, 4)).toEqual({ shown: list, rest: [] });
    const { shown, rest } = inRoom(list, 3);
    expect(shown.map((c) => c.name)).toEqual(['d', 'b']);
    expect(rest.map((c) => c.name)).toEqual(['a', 'c']);
  });
});

describe('one more way for a part', () => {
  const tray = part('tray');
  test('folding needs no other machine; carving takes the first that carves, with its formats', () => {
    expect(fieldsForWay(tray, 'fold', readyReceivers)).toEqual({ ways: ['print', 'fold'] });
    const carve = fieldsForWay(tray, 'carve', readyReceivers);
    expect(carve).toMatchObject({ ways: ['carve'], recipe: { receiver: { id: 'heron' } } });
  });
  test('no machine for it: a sentence and no change', () => {
    expect(
      fieldsForWay(
        tray,
        'carve',
        readyReceivers.filter((r) => r.id !== 'heron'),
      ),
    ).toMatch(/No machine of yours does this/);
  });
  test('the last way can not be taken away', () => {
    expect(fieldsWithout(tray, 'print')).toBeNull();
    expect(fieldsWithout(part('t', { strands: [{ way: 'fold' }, { way: 'print' }] }), 'fold')).toEqual({ ways: ['print'] });
  });
});
