/** Several boards as one: lines to score along and gaps to rout, by hand and by formula. */
import { describe, expect, test } from 'vitest';
import { boardOf, type Board } from '../src/boards/board.ts';
import { usualBoard, usualPanel, type PanelChoice } from '../src/boards/choice.ts';
import { panelOf } from '../src/boards/panel.ts';
import { areaOfContour, contourOf, type Contour } from '../src/curves/drawing.ts';
import { endOf, startOf, type P2 } from '../src/curves/segment.ts';
import type { Track } from '../src/formats/gerber/write.ts';
import { hole, layered, roundBox } from './board.data.ts';
import { lines } from './drawing.data.ts';
import { code } from './thrown.ts';

const board = (edge: Contour, plated: Contour[] = []): Board => boardOf(layered({ outline: [edge], plated }), usualBoard).board;
const panel = (b: Board, more: Partial<PanelChoice>): Board => panelOf(b, { ...usualPanel, ...more });
const area = (chain: readonly Track[]) => Math.abs(areaOfContour(contourOf([...chain], true)));
const ends = (chain: readonly Track[]): [P2, P2] => [startOf(chain[0]), endOf(chain[chain.length - 1])];

describe('scored', () => {
  const b = () => board(roundBox([10, 20, 40, 35], 0), [hole(14, 24, 1)]);
  test.each([
    [1, 1, 0, [], []],
    [2, 1, 0, [40], []],
    [3, 2, 0, [40, 70], [35]],
    [3, 2, 7, [40, 70], [20, 35, 50]],
    [1, 3, 5, [], [20, 35, 50, 65]],
  ])('%d by %d with rails of %d mm: upright at %j, across at %j, from edge to edge', (columns, rows, rail, upright, across) => {
    const made = panel(b(), { columns, rows, rail, join: 'scored' });
    const box = [10, 20 - rail, 10 + 30 * columns, 20 + 15 * rows + rail];
    expect(made.box).toEqual(box);
    expect(made.scores.map(ends)).toEqual([
      ...upright.map((x) => [[x, box[1]], [x, box[3]]]),
      ...across.map((y) => [[box[0], y], [box[2], y]]),
    ]); // prettier-ignore
    expect(made.holes.filter((h) => h.plated).map((h) => h.at)).toEqual(
      Array.from({ length: columns }, (_, i) => Array.from({ length: rows }, (_r, j) => [14 + 30 * i, 24 + 15 * j])).flat(),
    );
    expect([made.edges.length, area(made.edges[0])]).toEqual([1, (box[2] - box[0]) * (box[3] - box[1])]);
  });
  test('only what is its own box: a corner that is off by a tenth of a millimetre is not, one that is off by rounding is', () => {
    const off = (by: number) => board(lines([[0, 0], [30, 0], [30, 15 - by], [30 - by, 15], [0, 15]])); // prettier-ignore
    expect(code(() => panel(off(0.1), { join: 'scored' }))).toBe('not-rectangular');
    expect(code(() => panel(off(1e-5), { join: 'scored' }))).toBe('nothing thrown');
    expect(code(() => panel(board(roundBox([0, 0, 30, 15], 1)), { join: 'scored' }))).toBe('not-rectangular');
  });
  test('two boards in one drawing are no panel', () => {
    const two = boardOf(layered({ outline: [roundBox([0, 0, 30, 15], 0), roundBox([40, 0, 70, 15], 0)] }), usualBoard).board;
    expect(code(() => panel(two, { join: 'scored' }))).toBe('two-boards');
  });
});

describe('held by tabs', () => {
  const gap = 2;
  const tabWidth = 5;
  /** Routed round a board: the strip of the gap along its edge, quarters at outer corners, overlaps at inner ones, less the tabs. */
  const routed = (perimeter: number, outer: number, inner: number, tabs: number) => perimeter * gap + (outer * Math.PI * gap ** 2) / 4 - inner * gap ** 2 - tabs * tabWidth * gap; // prettier-ignore
  const ell = () => board(lines([[0, 0], [60, 0], [60, 20], [25, 20], [25, 45], [0, 45]])); // prettier-ignore
  test.each([
    ['a rectangle', () => board(roundBox([0, 0, 40, 30], 0)), routed(140, 4, 0, 4), 4],
    ['an L: its inner corner is cut where the sides meet', ell, routed(210, 5, 1, 4), 4],
    ['an L drawn clockwise', () => board(lines([[0, 45], [25, 45], [25, 20], [60, 20], [60, 0], [0, 0]])), routed(210, 5, 1, 4), 4],
  ])('%s: the area of its gaps', (_, make, total, tabs) => {
    const made = panel(make(), { columns: 1, rows: 1, rail: 0, gap, tabWidth });
    expect(made.cutOuts).toHaveLength(tabs);
    expect(made.cutOuts.reduce((n, c) => n + area(c), 0)).toBeCloseTo(total, 9);
    for (const chain of made.cutOuts) {
      chain.forEach((t, i) => {
        const next = startOf(chain[(i + 1) % chain.length]);
        expect(Math.hypot(endOf(t)[0] - next[0], endOf(t)[1] - next[1])).toBeLessThan(1e-9);
      });
    }
  }); // prettier-ignore
  test('round corners go round with the gap more; round inner ones with the gap less, down to nothing', () => {
    const r = 4;
    const round = panel(board(roundBox([0, 0, 40, 30], r)), { columns: 1, rows: 1, rail: 0, gap, tabWidth });
    expect(round.cutOuts.reduce((n, c) => n + area(c), 0)).toBeCloseTo((140 - 8 * r) * gap + Math.PI * ((r + gap) ** 2 - r ** 2) - 4 * tabWidth * gap, 9);
    const notched = (radius: number) =>
      board(
        contourOf(
          [
            { kind: 'line', a: [0, 0], b: [60, 0] },
            { kind: 'line', a: [60, 0], b: [60, 20] },
            { kind: 'line', a: [60, 20], b: [25 + radius, 20] },
            { kind: 'arc', centre: [25 + radius, 20 + radius], radius, start: -Math.PI / 2, sweep: -Math.PI / 2 },
            { kind: 'line', a: [25, 20 + radius], b: [25, 45] },
            { kind: 'line', a: [25, 45], b: [0, 45] },
            { kind: 'line', a: [0, 45], b: [0, 0] },
          ],
          true,
        ),
      );
    const perimeter = (radius: number) => 210 - 2 * radius + (Math.PI / 2) * radius;
    const made = panel(notched(3), { columns: 1, rows: 1, rail: 0, gap, tabWidth });
    // A strip along an arc that turns inwards is narrower by a quarter of the gap's square.
    expect(made.cutOuts.reduce((n, c) => n + area(c), 0)).toBeCloseTo(perimeter(3) * gap + (4 * Math.PI * gap ** 2) / 4 - 4 * tabWidth * gap + (Math.PI / 4) * gap ** 2 - (Math.PI / 4) * gap ** 2, 6); // prettier-ignore
    expect(code(() => panel(notched(2.001), { columns: 1, rows: 1, gap }))).toBe('nothing thrown');
    expect(code(() => panel(notched(2), { columns: 1, rows: 1, gap }))).toBe('gap-too-wide');
  });
  test('an inner corner whose sides are as short as the gap has no room for it', () => {
    const step = (side: number) => board(lines([[0, 0], [60, 0], [60, 20], [30, 20], [30, 20 + side], [0, 20 + side]])); // prettier-ignore
    expect(code(() => panel(step(2.01), { columns: 1, rows: 1, gap, rail: 0 }))).toBe('nothing thrown');
    expect(code(() => panel(step(2), { columns: 1, rows: 1, gap, rail: 0 }))).toBe('gap-too-wide');
  });
  test('tabs need two straight stretches that are longer than they are by a millimetre', () => {
    const strip = (length: number) => board(roundBox([0, 0, length + 8, 8], 4));
    expect(code(() => panel(strip(6), { gap, tabWidth }))).toBe('nothing thrown');
    expect(code(() => panel(strip(5.99), { gap, tabWidth }))).toBe('no-room-for-tabs');
  });
  test('between two boards are both gaps and a bar; the frame goes all round; small holes lie on the edge within the tabs', () => {
    const made = panel(board(roundBox([0, 0, 40, 30], 0)), { columns: 2, rows: 2, rail: 7, gap, tabWidth, tabs: 1, tooling: false, fiducials: false });
    expect(made.box).toEqual([-gap - 7, -gap - 7, 80 + 3 * gap + 3 + 7, 60 + 3 * gap + 3 + 7]);
    expect(made.cutOuts).toHaveLength(16);
    expect(made.scores).toEqual([]);
    const own = made.holes.filter((h) => h.at[0] < 41 && h.at[1] < 31);
    for (const { at } of own) {
      const onEdge = Math.min(Math.abs(at[0]), Math.abs(at[0] - 40), Math.abs(at[1]), Math.abs(at[1] - 30));
      expect(onEdge).toBeLessThan(1e-9);
      const along = Math.min(Math.abs(at[0]), Math.abs(at[0] - 40)) < 1e-9 ? at[1] - 15 : at[0] - 20;
      expect(Math.abs(along)).toBeLessThanOrEqual(tabWidth / 2 - 0.25);
    }
    expect(own.length).toBe(4 * 6);
  });
});

describe('rails', () => {
  const b = () => board(roundBox([0, 0, 60, 30], 0));
  test('pins and marks from 5 mm on, none below; marks never lie as their own mirror image', () => {
    const rails = (rail: number) => panel(b(), { columns: 2, rows: 1, rail, join: 'scored' });
    expect([rails(4.9).holes.length, rails(4.9).fiducials.length]).toEqual([0, 0]);
    const made = rails(5);
    expect([made.holes.length, made.fiducials.length]).toEqual([4, 3]);
    const [l, low, r, high] = made.box;
    const places = made.fiducials.map((f) => f.at);
    const mirrored = [
      places.map(([x, y]): P2 => [l + r - x, y]),
      places.map(([x, y]): P2 => [x, low + high - y]),
      places.map(([x, y]): P2 => [l + r - x, low + high - y]),
    ];
    for (const other of mirrored) expect(other.every((p) => places.some((q) => Math.hypot(p[0] - q[0], p[1] - q[1]) < 1e-6))).toBe(false);
  });
  test('left out where they are not wanted, or where a panel is too short for marks to be told apart', () => {
    expect(panel(b(), { join: 'scored', tooling: false, fiducials: false }).holes).toEqual([]);
    // Marks stand 14 mm from both ends: panels of three times that have room.
    const short = (w: number) => panel(board(roundBox([0, 0, w, 30], 0)), { columns: 1, rows: 1, rail: 7, join: 'scored' }).fiducials.length;
    expect([short(42), short(42.1)]).toEqual([0, 3]);
  });
});
