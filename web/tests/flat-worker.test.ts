/** What the sheet's worker answers to the page: places there and back, what a bit leaves, and what a machine sees in a written file. Held against plane geometry. */
import fc from 'fast-check';
import { describe, expect, test } from 'vitest';
import type { Drawing } from 'tall-kite/curves/drawing';
import { packDrawing } from 'tall-kite/curves/drawing';
import { partOfDrawing } from 'tall-kite/drawing/part';
import { nodeEngine } from 'tall-kite/engine/load';
import { writeDrawing } from 'tall-kite/pipeline/write-drawing';
import { firstRecipe, type Recipe } from 'tall-kite/recipe/recipe';
import { readyReceivers } from 'tall-kite/receivers/ready';
import { receiverIn } from 'tall-kite/receivers/receivers';
import { drawingOf, lines, round } from '../../core/tests/drawing.data.ts';
import { flatWork } from '../workers/flat.ts';

const work = flatWork(nodeEngine);
const rect = (x: number, y: number, w: number, h: number) => lines([[x, y], [x + w, y], [x + w, y + h], [x, y + h]]); // prettier-ignore

/** Opens a drawing in mm, and gives it with its recipe for a machine. */
function opened(drawing: Drawing, machine = 'martin', change: Partial<Recipe['drawing']> = {}) {
  const { summary } = partOfDrawing(drawing, { name: 'Winder side', path: ['Winder side'], quantity: 1, unit: 'mm', format: 'dxf' });
  const first = firstRecipe(summary, readyReceivers);
  const recipe: Recipe = { ...first, receiver: receiverIn(readyReceivers, machine), drawing: { ...first.drawing!, ...change } };
  work.flatOpen(packDrawing(drawing).slice().buffer);
  return { summary, recipe };
}

describe('places', () => {
  const plate = drawingOf(rect(3, -7, 40, 20), round(20, 2, 8));
  test('a node at the machine is the same node back in the drawing, however it is placed', () => {
    fc.assert(
      fc.property(
        fc.record({
          turn: fc.integer({ min: 0, max: 359 }),
          mirror: fc.boolean(),
          datum: fc.constantFrom('drawn' as const, 'corner' as const, 'middle' as const, 'point' as const),
          at: fc.tuple(fc.integer({ min: -50, max: 50 }), fc.integer({ min: -50, max: 50 })),
        }),
        fc.constantFrom(1, 25.4),
        (place, factor) => {
          const { datum, at } = place;
          const { summary, recipe } = opened(plate, 'martin', { place: { ...place, point: [3, -7] } });
          const sized = { ...recipe, size: { ...recipe.size, factor } };
          const found = work.flatNodes(summary, sized, 0)!;
          const corners = [[3, -7], [43, -7], [43, 13], [3, 13]]; // prettier-ignore
          expect(found.nodes).toHaveLength(4);
          for (const [i, node] of found.nodes.entries()) {
            const back = work.flatBack(summary, sized, node);
            expect(Math.hypot(back[0] - corners[i][0], back[1] - corners[i][1])).toBeLessThan(1e-9);
          }
          // Lengths go by the factor alone.
          const side = Math.hypot(found.nodes[1][0] - found.nodes[0][0], found.nodes[1][1] - found.nodes[0][1]);
          expect(side).toBeCloseTo(40 * factor, 9);
          // The middle of a side is half way.
          expect(found.middles[0][0]).toBeCloseTo((found.nodes[0][0] + found.nodes[1][0]) / 2, 9);
          // The point that is placed lies where it was asked to.
          if (datum === 'point') expect(Math.hypot(found.nodes[0][0] - at[0], found.nodes[0][1] - at[1])).toBeLessThan(1e-9);
        },
      ),
      { numRuns: 100 },
    );
  });
  test('contours are counted through all layers; beyond the last there is none', () => {
    const two: Drawing = { ...plate, layers: [plate.layers[0], { ...plate.layers[0], name: 'M', contours: [rect(0, 0, 5, 5)] }] };
    const { summary, recipe } = opened(two);
    expect(work.flatNodes(summary, recipe, 2)).toMatchObject({ layer: 1, contour: 0 });
    expect(work.flatNodes(summary, recipe, 3)).toBe(null);
  });
  test('what is drawn: each contour its run of points, the box at the machine, and no edges beside them while nothing changes them', async () => {
    const { summary, recipe } = opened(plate, 'martin', { kerf: 0, place: { turn: 90, mirror: false, datum: 'corner', point: [0, 0], at: [10, 5] } });
    const view = await work.flatView(summary, recipe);
    expect(view.box.map((v) => Number(v.toFixed(6)))).toEqual([10, 5, 30, 45]);
    expect(view.edges).toBe(null);
    expect(view.lines.map((l) => [l.closed, l.number, l.depth])).toEqual([[true, 0, 0], [true, 1, 1]]); // prettier-ignore
    expect(view.lines[0].to).toBe(view.lines[1].from);
    expect(view.lines[1].to * 2).toBe(view.points.length);
    // The circle turned with the rest: from (20, 2) of the drawing, 17 along and 9 up from its corner.
    const [l] = view.lines.slice(1);
    for (let i = l.from; i < l.to; i++) expect(Math.hypot(view.points[i * 2] - (10 + 20 - 9), view.points[i * 2 + 1] - (5 + 17))).toBeCloseTo(4, 2);
    // With a kerf the contours are others than the edges that shall be left.
    const cut = await work.flatView(summary, { ...recipe, drawing: { ...recipe.drawing!, kerf: 2 } });
    expect(cut.edges!.starts).toHaveLength(3);
    expect(cut.box.map((v) => Number(v.toFixed(6)))).toEqual([9, 4, 31, 46]);
  });
});

describe('what is wrong', () => {
  test('gaps, doubles and crossings with their places at the machine', () => {
    const open = lines([[0, 0], [30, 0], [30, 20], [0, 20], [0, 0.4]], false); // prettier-ignore
    const bad = drawingOf(open, rect(5, 5, 4, 4), rect(5, 5, 4, 4), lines([[12, 2], [18, 8], [18, 2], [12, 8]])); // prettier-ignore
    const { summary, recipe } = opened(bad, 'martin', { place: { turn: 0, mirror: false, datum: 'drawn', point: [0, 0], at: [100, 0] } });
    const found = work.flatCheck(summary, recipe);
    // Doubles are counted side by side.
    expect(found.counts).toMatchObject({ gaps: 1, doubles: 4, crossings: 1 });
    expect(found.gaps[0].distance).toBeCloseTo(0.4, 9);
    for (const end of [found.gaps[0].a, found.gaps[0].b]) expect(end[0]).toBeCloseTo(100, 9);
    expect([found.crossings[0].x, found.crossings[0].y].map((v) => Number(v.toFixed(6)))).toEqual([115, 5]);
  });
});

describe('a bit', () => {
  test('leaves four corners of a hole with corners: (4 - pi) r2 of it; a hole as round as the bit nothing', async () => {
    const plate = drawingOf(rect(0, 0, 100, 60), rect(20, 20, 30, 20), round(75, 30, 6));
    const { summary, recipe } = opened(plate);
    const found = await work.flatReach(summary, recipe, 6);
    expect(found.contours).toBe(1);
    // Its arcs are drawn as polygons: a few per cent.
    expect(found.area / ((4 - Math.PI) * 9)).toBeCloseTo(1, 1);
    expect(found.starts).toHaveLength(5);
    const wider = await work.flatReach(summary, recipe, 6.5);
    expect(wider.contours).toBe(2);
  });
});

describe('a written file', () => {
  test('its cuts from its own bytes: inner ones first, their lengths those of the drawing, the time by the feed', async () => {
    const { summary, recipe } = opened(drawingOf(rect(0, 0, 100, 60), round(50, 30, 20)), 'plover', { kerf: 0 });
    const asked: Recipe = { ...recipe, file: { ...recipe.file, format: 'dxf', unit: 'mm' } };
    const { pieces } = await writeDrawing(summary, drawingOf(rect(0, 0, 100, 60), round(50, 30, 20)), asked, await nodeEngine());
    const got = await work.flatReceived(Uint8Array.from([...pieces].flatMap((p) => [...p])).buffer, 'dxf', asked.receiver);
    expect(got.cut).toBeCloseTo(320 + 20 * Math.PI, 4);
    expect(got.order.map((o) => Number(o.length.toFixed(3)))).toEqual([62.832, 320]);
    expect(got.order.every((o) => o.closed)).toBe(true);
    expect(got.taken).toBe('mm');
    const { feed, rapid, pierce } = asked.receiver.cutter!;
    // Common practice: cutting at the feed, going between at the rapid speed (mm/min), and piercing once for each cut.
    expect(got.time).toBeCloseTo((60 * got.cut) / feed + (60 * got.travel) / rapid + 2 * pierce, 6);
    expect(got.starts.at(-1)! * 2).toBe(got.points.length);
  });
  test('carved by a router: a hole is as deep as the sheet and what goes below it', async () => {
    const { summary, recipe } = opened(drawingOf(rect(0, 0, 60, 40)), 'martin', {
      kerf: 6,
      place: { turn: 0, mirror: false, datum: 'corner', point: [0, 0], at: [10, 10] },
    });
    const stock = { width: 80, height: 60, thickness: 12 };
    const choice = { stock, bit: 6, side: 'on' as const, below: 0.2, pocketDepth: 3, engraveDepth: 0.5 };
    const made = await work.flatCarveDesigned(summary, recipe, choice);
    expect(made.deepest).toBeCloseTo(12.2, 5);
    // A disc of 3 mm radius along a rectangle of 66 by 46: what it covers outside it, by Steiner, less the rectangle that is left inside.
    const covered = 66 * 46 + 2 * (66 + 46) * 3 + Math.PI * 9 - 60 * 40;
    expect(Math.abs(made.removed / (covered * 12) - 1)).toBeLessThan(0.03);
  });
});

describe('before anything is open', () => {
  test('it is said, and the page waits', async () => {
    const { summary, recipe } = opened(drawingOf(rect(0, 0, 5, 5)));
    work.flatOpen(new TextEncoder().encode('null').buffer as ArrayBuffer);
    await expect(work.flatView(summary, recipe)).rejects.toMatchObject({ code: 'not-open' });
    expect(() => work.flatCheck(summary, recipe)).toThrow(/not open yet/);
  });
});
