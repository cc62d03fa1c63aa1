/** What stands on the join table: parts where they are, side by side when they are shown apart, and what is proposed in their place. */
import { describe, expect, test } from 'vitest';
import { firstRecipe } from 'tall-kite/recipe/recipe';
import { readyReceivers } from 'tall-kite/receivers/ready';
import type { View } from 'tall-kite/view/view';
import type { PartView } from '@tall-kite/server/jobs/part-views';
import type { OperationView } from '@tall-kite/server/operations/operations';
import { along, mostLabels, standingBox, standingMade, standingParts, type PartsShown } from '../join/standing.ts';
import { badRows, mostBent } from '../stores/bend-rows.ts';

const recipe = firstRecipe({ survey: null, kind: 'solid' }, readyReceivers);
const identity = [1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0];
const part = (id: string, size: number[], place: number[] = identity): PartView =>
  ({ id, name: `Part ${id}`, place, recipe, summary: { kind: 'solid', box: { min: [0, 0, 0], max: size } } }) as never;
const view = {} as View;
const shown = (more: Partial<PartsShown> & { views: PartsShown['views'] }): PartsShown => ({
  chosen: [],
  place: (p) => p.place,
  apart: false,
  under: [],
  ...more,
});

describe('the box of a part', () => {
  test('where it stands: turned by a quarter about Z its X lies along Y', () => {
    const turned = [0, -1, 0, 10, 1, 0, 0, 20, 0, 0, 1, 5];
    expect(standingBox(part('a', [4, 2, 1], turned))).toEqual({ min: [8, 20, 5], max: [10, 24, 6] });
  });
  test('a shift along one axis', () => {
    expect([along(0, 3), along(1, 3), along(2, -3)]).toEqual([[3, 0, 0], [0, 3, 0], [0, 0, -3]]); // prettier-ignore
  });
});

describe('parts on the table', () => {
  const parts = [part('a', [10, 2, 3]), part('b', [20, 2, 3]), part('c', [5, 8, 1])];
  test('those whose shape is here, each where it stands; those that a proposal stands for are not', () => {
    const list = standingParts(parts, shown({ views: [view, undefined, view], chosen: ['c'] }));
    expect(list.map((s) => [s.id, s.ink, s.label])).toEqual([['a', 'rule', 'Part a'], ['c', 'designed', 'Part c']]); // prettier-ignore
    expect(standingParts(parts, shown({ views: [view, view, view], under: ['a', 'b'] })).map((s) => s.id)).toEqual(['c']);
  });
  test('a part that is being dragged stands where it was dragged to', () => {
    const dragged = [...identity.slice(0, 3), 7, ...identity.slice(4)];
    const [a] = standingParts(parts, shown({ views: [view, view, view], place: (p) => (p.id === 'a' ? dragged : p.place) }));
    expect(a.rows[3]).toBe(7);
  });
  test('apart: side by side along X on the bed, in their order, with a gap between them and none over another', () => {
    const list = standingParts(parts, shown({ views: [view, view, view], apart: true }));
    const ranges = list.map((s, i) => [s.rows[3], s.rows[3] + parts[i].summary.box.max[0]]);
    // The gap is a share of the widest, so that small parts are not lost between large ones.
    expect(ranges).toEqual([[0, 10], [13, 33], [36, 41]]); // prettier-ignore
    list.forEach((s, i) => expect([s.rows[7], s.rows[11]]).toEqual([-parts[i].summary.box.max[1] / 2, expect.closeTo(0, 12)]));
  });
  test('as many as bear their names, and one more: then only those that are chosen', () => {
    const many = (n: number) => Array.from({ length: n }, (_, i) => part(String(i), [1, 1, 1]));
    const labels = (n: number) => standingParts(many(n), shown({ views: Array(n).fill(view), chosen: ['3'] })).map((s) => s.label);
    expect(labels(mostLabels).every(Boolean)).toBe(true);
    expect(labels(mostLabels + 1).filter(Boolean)).toEqual(['Part 3']);
  });
});

describe('what is proposed', () => {
  const proposal = (kind: string) => ({ id: 'o', kind, parts: ['a'] }) as unknown as OperationView;
  const made = (n: number) => Array.from({ length: n }, (_, i) => ({ name: `Piece ${i + 1}` })) as OperationView['made'];
  const first = part('a', [1, 1, 1], [...identity.slice(0, 3), 42, ...identity.slice(4)]);
  test('what several parts come to stands in space; what one part comes to stands where it does', () => {
    for (const [kind, x] of [
      ['join', 0],
      ['subtract', 0],
      ['common', 0],
      ['divide', 42],
      ['mirror', 42],
    ] as const)
      // prettier-ignore
      expect([kind, standingMade(proposal(kind), made(1), { views: [view], first })[0].rows[3]]).toEqual([kind, x]);
  });
  test('one piece needs no name, several bear theirs, and very many none', () => {
    const labels = (n: number) => standingMade(proposal('divide'), made(n), { views: Array(n).fill(view), first }).map((s) => s.label);
    expect(labels(1)).toEqual(['']);
    expect(labels(2)).toEqual(['Piece 1', 'Piece 2']);
    expect(labels(mostLabels).every(Boolean)).toBe(true);
    expect(labels(mostLabels + 1).some(Boolean)).toBe(false);
  });
  test('nothing without a proposal, without the part it is of, or before its shapes are here', () => {
    expect(standingMade(null, made(1), { views: [view], first })).toEqual([]);
    expect(standingMade(proposal('divide'), made(1), { views: [view], first: undefined })).toEqual([]);
    expect(standingMade(proposal('divide'), made(2), { views: [undefined, view], first }).map((s) => s.id)).toEqual(['made 1']);
  });
});

describe('rows of a bend table', () => {
  const row = (radius: number | null, angle: number | null, value: number | null = 0.4) => ({ radius, angle, value });
  test.each([
    ['as it should be', row(2, 90), false],
    ['a sharp fold', row(0, 90), false],
    ['a radius below zero', row(-0.1, 90), true],
    ['no radius', row(null, 90), true],
    ['no angle', row(2, null), true],
    ['no turn', row(2, 0), true],
    ['a hair of a turn', row(2, 0.1), false],
    ['as far as may be', row(2, mostBent), false],
    ['farther', row(2, mostBent + 0.1), true],
    ['no value', row(2, 90, null), true],
    ['a value below zero, as a deduction may be', row(2, 90, -3), false],
  ])('%s', (_, it, bad) => {
    expect(badRows([it])).toEqual([bad]);
  });
  test('of two rows for one radius and angle the second is the wrong one', () => {
    expect(badRows([row(2, 90), row(2, 45), row(3, 90), row(2, 90)])).toEqual([false, false, false, true]);
  });
});
