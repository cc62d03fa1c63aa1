import { beforeAll, describe, expect, test } from 'vitest';
import { partOfDrawing } from '../src/drawing/part.ts';
import { areaOfContour, boxOfDrawing, contourOf, lengthOfContour, type Contour, type Drawing } from '../src/curves/drawing.ts';
import { drawShape, viewFrames, type ShapeView, type ViewName } from '../src/drawing/from-shape.ts';
import { meantContours } from '../src/drawing/meaning.ts';
import { netArea, nest } from '../src/curves/nest.ts';
import { mostAsked, mostMoved, narrowPlaces, offsetContour, unreachedBy, withCornerReliefs, withTabs } from '../src/curves/offset.ts';
import { raiseDrawing } from '../src/drawing/raise.ts';
import { flattened } from '../src/curves/flatten.ts';
import { distance, endOf, fromBulge, isFull, startOf, type P2 } from '../src/curves/segment.ts';
import { readDesign } from '../src/pipeline/read.ts';
import { Unusable } from '../src/base/finding.ts';
import { measureMesh } from '../src/geometry/mesh.ts';
import { identityRows } from '../src/geometry/rows.ts';
import type { Engine } from '../src/engine/engine.ts';
import { nodeEngine } from '../src/engine/load.ts';
import { SolidBuilder } from '../src/kernel/build.ts';
import type { Kernel } from '../src/kernel/kernel.ts';
import { nodeKernels, workingKernel } from '../src/kernel/load.ts';
import { proveDrawing } from '../src/prove/prove-drawing.ts';
import { Narrow } from '../src/pipeline/narrow.ts';
import { readyDrawing } from '../src/pipeline/ready-drawing.ts';
import { writeDrawing } from '../src/pipeline/write-drawing.ts';
import { firstDrawingRecipe, type DrawingRecipe } from '../src/model/drawing-recipe.ts';
import { firstRecipe, type Recipe } from '../src/recipe/recipe.ts';
import { carve } from '../src/processes/carve.ts';
import { cutOrder, receiveDrawing } from '../src/processes/cutters.ts';
import { receiverIn } from '../src/receivers/receivers.ts';
import { readyReceivers } from '../src/receivers/ready.ts';
import { checkMesh } from '../src/mesh/soundness/check-mesh.ts';
import { dataFile } from './data.ts';
import { ballMesh, dice } from './data.more.ts';
import { board, drawingOf, lines, ring, round, shoelace } from './drawing.data.ts';

let engine: Engine;
let kernel: Kernel;
beforeAll(async () => {
  engine = await nodeEngine();
  kernel = await workingKernel();
});

const rect = (w: number, h: number): Contour => lines([[0, 0], [w, 0], [w, h], [0, h]]); // prettier-ignore
const quarter = Math.tan(Math.PI / 8);
/** A rectangle with round corners of radius r. */
const rounded = (w: number, h: number, r: number): Contour => {
  const p: [P2, number][] = [[[r, 0], 0], [[w - r, 0], quarter], [[w, r], 0], [[w, h - r], quarter], [[w - r, h], 0], [[r, h], quarter], [[0, h - r], 0], [[0, r], quarter]]; // prettier-ignore
  return contourOf(p.map(([a, bulge], i) => fromBulge(a, p[(i + 1) % p.length][0], bulge)), true); // prettier-ignore
};

describe('kerf', () => {
  test('a circle and a rounded rectangle: radii and sides grow exactly, arcs stay arcs (Steiner: area + length d + pi d2)', () => {
    const out = offsetContour(engine, rounded(100, 60, 8), 0.5);
    expect(out.exact).toBe(true);
    const [c] = out.contours;
    for (const s of c.segments) if (s.kind === 'arc') expect(s.radius).toBeCloseTo(8.5, 12);
    const own = rounded(100, 60, 8);
    expect(areaOfContour(c)).toBeCloseTo(areaOfContour(own) + lengthOfContour(own) * 0.5 + Math.PI * 0.25, 9);
    expect((offsetContour(engine, round(3, 4, 20), -0.5).contours[0].segments[0] as { radius: number }).radius).toBe(9.5);
  });
  test('corners stay sharp outside, and inner corners meet: an L both ways', () => {
    const l = lines([[0, 0], [30, 0], [30, 10], [10, 10], [10, 30], [0, 30]]); // prettier-ignore
    for (const [d, points] of [
      [1, [[-1, -1], [31, -1], [31, 11], [11, 11], [11, 31], [-1, 31]]], // prettier-ignore
      [-1, [[1, 1], [29, 1], [29, 9], [9, 9], [9, 29], [1, 29]]], // prettier-ignore
    ] as [number, P2[]][]) {
      const { contours, exact } = offsetContour(engine, l, d);
      expect(exact).toBe(true);
      expect(areaOfContour(contours[0])).toBeCloseTo(shoelace(points), 9);
      expect(contours[0].segments).toHaveLength(6);
    }
    // The other way round it is the same part.
    expect(
      areaOfContour(
        offsetContour(engine, { ...l, segments: [...l.segments].reverse().map((s) => (s.kind === 'line' ? { ...s, a: s.b, b: s.a } : s)) }, 1).contours[0],
      ),
    ).toBeCloseTo(-offsetArea(l, 1), 9);
  });
  const offsetArea = (c: Contour, d: number) => areaOfContour(offsetContour(engine, c, d).contours[0]);
  test('a slot narrower than the kerf closes; a neck that breaks leaves two; too much leaves nothing', () => {
    const slotted = lines([[0, 0], [30, 0], [30, 30], [16, 30], [16, 10], [14, 10], [14, 30], [0, 30]]); // prettier-ignore
    const closed = offsetContour(engine, slotted, 1.5);
    expect(areaOfContour(closed.contours[0])).toBeCloseTo(33 * 33, 3);
    const dumbbell = lines([[0, 0], [20, 0], [20, 9], [40, 9], [40, 0], [60, 0], [60, 20], [40, 20], [40, 11], [20, 11], [20, 20], [0, 20]]); // prettier-ignore
    expect(offsetContour(engine, dumbbell, -1.5).contours).toHaveLength(2);
    expect(offsetContour(engine, round(0, 0, 2), -1.5).contours).toHaveLength(0);
  });
  test('arcs that meet at the slightest corners are moved without gaps between them (ends against starts), as far as the polygons of the library are', () => {
    const random = dice(4);
    for (let k = 0; k < 60; k++) {
      const size = 1 + random(40) / 4;
      const bends = [0.001, 0.01, 0.05, 0.09][k % 4];
      const at = (i: number): P2 => [size * Math.cos((i * Math.PI) / 12), size * Math.sin((i * Math.PI) / 12)];
      const segments = Array.from({ length: 24 }, (_, i) => fromBulge(at(i), at(i + 1), Math.tan((Math.PI / 12 + (random(200) / 100 - 1) * bends) / 4)));
      const d = (1 + random(20)) / 100;
      for (const by of [d, -d]) {
        const [moved, ...more] = offsetContour(engine, contourOf(segments, true), by).contours;
        expect(more).toEqual([]);
        moved.segments.forEach((s, i) => expect(distance(endOf(s), startOf(moved.segments[(i + 1) % moved.segments.length]))).toBeLessThan(2e-9));
        const ring = engine.CrossSection.ofPolygons([flattened(segments, 1e-5)], 'EvenOdd');
        const theirs = ring.offset(by, 'Miter', 3);
        expect(Math.abs(areaOfContour(moved) / theirs.area() - 1)).toBeLessThan(2e-4);
        ring.delete();
        theirs.delete();
      }
    }
  });
  test('random stars agree with the library for polygons', () => {
    const random = dice(9);
    for (let k = 0; k < 20; k++) {
      const points = Array.from({ length: 12 }, (_, i): P2 => {
        const r = 20 + random(150) / 10;
        return [r * Math.cos((i * Math.PI) / 6), r * Math.sin((i * Math.PI) / 6)];
      });
      const d = (random(20) - 10) / 20 || 0.3;
      const own = offsetContour(engine, lines(points), d).contours.reduce((n, c) => n + areaOfContour(c), 0);
      const area = engine.CrossSection.ofPolygons([points], 'EvenOdd');
      const theirs = area.offset(d, 'Miter', 3);
      expect(Math.abs(own / theirs.area() - 1)).toBeLessThan(2e-4);
      area.delete();
      theirs.delete();
    }
  });
});

describe('bits, reliefs, tabs', () => {
  test('what a round bit leaves in a square corner is (4 - pi) / 4 r2 each, and nothing in a rounder one', () => {
    const left = unreachedBy(engine, rect(100, 50), 6, true);
    expect(left.contours).toHaveLength(4);
    expect(left.area).toBeGreaterThan(0.97 * (4 - Math.PI) * 9);
    expect(left.area).toBeLessThanOrEqual((4 - Math.PI) * 9);
    expect(left.smallestRadius).toBe(0);
    const fine = unreachedBy(engine, rounded(100, 50, 4), 6, true);
    expect(fine.contours).toHaveLength(0);
    expect(fine.smallestRadius).toBeCloseTo(4, 9);
    // Outside a square it reaches all of it.
    expect(unreachedBy(engine, rect(100, 50), 6, false).contours).toHaveLength(0);
  });
  test('a relief is a circle of the bit through the corner: the bit then reaches all of it', () => {
    const { contour, reliefs } = withCornerReliefs(rect(60, 40), 6, true);
    expect(reliefs).toBe(4);
    const arcs = contour.segments.filter((s) => s.kind === 'arc');
    for (const s of arcs) if (s.kind === 'arc') expect(Math.min(...([[0, 0], [60, 0], [60, 40], [0, 40]] as P2[]).map((c) => Math.abs(Math.hypot(c[0] - s.centre[0], c[1] - s.centre[1]) - 3)))).toBeLessThan(1e-9); // prettier-ignore
    // Each relief adds a half disc less the corner's triangle: r2 (pi / 2 - 1).
    expect(areaOfContour(contour)).toBeCloseTo(2400 + 4 * 9 * (Math.PI / 2 - 1), 9);
    expect(unreachedBy(engine, contour, 6, true).area).toBeLessThan(0.02);
  });
  describe('slits that a cut of 0.2 mm does not get into', () => {
    /** A hole of 20 by 10 with a slit of a width and a length at its right; or a part with such a notch. */
    const slit = (width: number, long: number) => lines([[0, 0], [20, 0], [20, 5 - width / 2], [20 + long, 5 - width / 2], [20 + long, 5 + width / 2], [20, 5 + width / 2], [20, 10], [0, 10]]); // prettier-ignore
    const notch = (width: number, long: number) => lines([[0, 0], [20, 0], [20, 5 - width / 2], [20 - long, 5 - width / 2], [20 - long, 5 + width / 2], [20, 5 + width / 2], [20, 10], [0, 10]]); // prettier-ignore
    test.each([
      [0.1, 15, 1],
      [0.198, 15, 1],
      [0.202, 15, 0],
      [0.1, 0.45, 1],
      [0.1, 0.35, 0],
    ])('%d mm wide and %d mm long: %d places, in a hole and in a part', (width, long, count) => {
      for (const [made, inside] of [
        [slit(width, long), true],
        [notch(width, long), false],
      ] as const) {
        // prettier-ignore
        const places = narrowPlaces(engine, made, 0.2, inside)!;
        expect(places).toHaveLength(count);
        for (const [l, b, r, t] of places) {
          expect(Math.abs(r - l - long)).toBeLessThan(0.15);
          expect([b > 4.85, t < 5.15]).toEqual([true, true]);
        }
      }
    });
    test('square corners, rounds and a neck that is wide enough are no such places', () => {
      for (const c of [rect(20, 10), rounded(20, 10, 0.05), round(0, 0, 0.3)]) for (const inside of [true, false]) expect(narrowPlaces(engine, c, 0.2, inside)).toEqual([]); // prettier-ignore
    });
    test('a contour of very many corners is not asked, and that is told; one is asked just under it', () => {
      const n = (corners: number) => lines(ring([0, 0], 1000, corners));
      expect(narrowPlaces(engine, n(mostAsked), 0.01, false)).toEqual([]);
      expect(narrowPlaces(engine, n(mostAsked + 1), 0.01, false)).toBeNull();
      const narrow = new Narrow();
      narrow.add([]);
      expect(narrow.findings(0.2)).toEqual([]);
      narrow.add(null);
      expect(narrow.findings(0.2).map((f) => f.message)).toEqual(['A contour has more than 50,000 corners: whether all of it is wider than the cut was not asked.']); // prettier-ignore
      // Of several parts each is named by what is told of it.
      narrow.add(null, 'Long');
      narrow.add([[0, 0, 5, 0.1]], 'Slit');
      narrow.add([], 'Sound');
      expect(narrow.findings(0.2).map((f) => f.message)).toEqual([
        'A place of Slit is narrower than the cut of 0.2 mm and not cut; it is 5.00 mm long, at X 2.5, Y 0.1 mm.',
        '2 contours of Long have more than 50,000 corners: whether all of it is wider than the cut was not asked.',
      ]);
    });
    test('a contour too long to be moved is refused with what to do, not worked on for minutes', () => {
      // Spikes, so that pieces of it vanish when it is moved inward.
      const spiked = (corners: number) => lines(Array.from({ length: corners }, (_, i): P2 => { const r = 1000 + (i % 2) * 0.05; return [r * Math.cos((2 * Math.PI * i) / corners), r * Math.sin((2 * Math.PI * i) / corners)]; })); // prettier-ignore
      expect(() => offsetContour(engine, spiked(mostMoved + 2), -0.1)).toThrow('A contour of 150,002 corners is too long to be moved sideways by 0.1 mm.');
    });
    test('they are told with the file, how long and where; with a narrower cut they are cut', () => {
      const made = (kerf: number) => {
        const drawing = drawingOf(lines([[-10, -10], [60, -10], [60, 30], [-10, 30]]), slit(0.1, 15)); // prettier-ignore
        const part = partOfDrawing(drawing, { name: 'p', path: ['p'], quantity: 1, unit: 'mm', format: 'made' });
        const recipe = firstRecipe(part.summary, readyReceivers);
        recipe.drawing = { ...firstDrawingRecipe(), kerf };
        return readyDrawing(part.summary, drawing, recipe, engine).findings;
      };
      expect(made(0.2).map((f) => [f.code, f.severity, f.count])).toEqual([['narrower-than-kerf', 'look', 1]]);
      expect(made(0.2)[0].message).toMatch(
        /^A place is narrower than the cut of 0\.2 mm and not cut; it is (14\.9|15\.0)\d mm long, at X 37\.[45], Y 15\.0 mm\.$/,
      );
      expect(made(0.08)).toEqual([]);
    });
  });
  test('tabs leave their width standing on straight pieces', () => {
    const pieces = withTabs(rounded(100, 60, 8), 4, 3);
    expect(pieces).toHaveLength(4);
    expect(pieces.reduce((n, c) => n + lengthOfContour(c), 0)).toBeCloseTo(lengthOfContour(rounded(100, 60, 8)) - 12, 9);
    expect(pieces.every((c) => !c.closed)).toBe(true);
    expect(() => withTabs(round(0, 0, 4), 3, 3)).toThrow(Unusable);
  });
});

describe('from solids and meshes', () => {
  const none = { rows: Float64Array.from([1, 0, 0, 0, 1, 0, 0, 0, 1]), shift: [0, 0, 0] as [number, number, number] };
  /** A block with a step at one corner and a hole along Z: no two views of it are alike. */
  const brep = () => {
    const b = new SolidBuilder(kernel);
    return b.brep(b.cut(b.box([0, 0, 0], [40, 30, 10]), b.box([30, 20, 5], [20, 20, 20]), b.cylinder([10, 8, -1], [0, 0, 1], 3, 20)));
  };
  const draw = (view: ShapeView) => drawShape({ kind: 'solid', brep: brep() }, none, view, { engine, kernel });
  const facts = (d: Drawing) => {
    const nested = nest(d);
    return { area: netArea(nested), contours: d.layers.flatMap((l) => l.contours) };
  };
  test('silhouette from above: exact lines and a true circle', () => {
    const { drawing, deviation } = draw({ kind: 'view', view: 'top', edges: 'silhouette' });
    expect(deviation).toBe(0);
    const { area, contours } = facts(drawing);
    expect(contours.map((c) => c.segments.length).sort()).toEqual([1, 4]);
    expect(area).toBeCloseTo(1200 - 9 * Math.PI, 9);
    expect(contours.find((c) => isFull(c.segments[0]))!.segments[0]).toMatchObject({ kind: 'arc', radius: 3 });
  });
  describe('round bodies, whose outlines are no edges of theirs: areas by formula within the deviation that is stated', () => {
    /** Round an ellipse. Source: Ramanujan, Modular equations and approximations to pi, 1914; here off by less than 1e-7. */
    const roundEllipse = (p: number, q: number) => {
      const h = ((p - q) / (p + q)) ** 2;
      return Math.PI * (p + q) * (1 + (3 * h) / (10 + Math.sqrt(4 - 3 * h)));
    };
    const [ball, major, minor] = [10, 20, 5];
    const tilt = [1, 0, 0, 0, 0, 0.8, -0.6, 0, 0, 0.6, 0.8, 0];
    // A ring seen so that its middle is an ellipse of 20 by 12: it and its hole lie minor outside and inside of that.
    const beside = roundEllipse(major, 12) * minor;
    const cases: [string, (b: SolidBuilder) => ReturnType<SolidBuilder['box']>, ViewName, number, number][] = [
      ['a ball', (b) => b.sphere([0, 0, 0], ball), 'front', Math.PI * ball ** 2, 2 * Math.PI * ball],
      ['a ring from the side: a slot', (b) => b.torus([0, 0, 0], [0, 0, 1], major, minor), 'front', 4 * major * minor + Math.PI * minor ** 2, 4 * major + 2 * Math.PI * minor],
      ['a ring from above', (b) => b.torus([0, 0, 0], [0, 0, 1], major, minor), 'top', 4 * Math.PI * major * minor, 4 * Math.PI * major],
      ['a ring leaning', (b) => b.placed(b.torus([0, 0, 0], [0, 0, 1], major, minor), tilt), 'front', 2 * beside, 2 * roundEllipse(major, 12)],
      ['a ball with a flat, whose line is an edge', (b) => b.cut(b.sphere([0, 0, 0], ball), b.box([-20, -20, -26], [40, 40, 20])), 'front', ball ** 2 * (Math.PI - Math.acos(0.6)) + 48, 2 * Math.PI * ball],
      ['a cylinder leaning: two half ellipses and its sides', (b) => b.placed(b.cylinder([0, 0, 0], [0, 0, 1], 6, 30), tilt), 'front', 12 * 30 * 0.8 + Math.PI * 6 * 6 * 0.6, 2 * 24 + roundEllipse(6, 3.6)],
    ]; // prettier-ignore
    test.each(cases)('%s', (_, make, view, area, along) => {
      const b = new SolidBuilder(kernel);
      const { drawing, deviation } = drawShape({ kind: 'solid', brep: b.brep(make(b)) }, none, { kind: 'view', view, edges: 'silhouette' }, { engine, kernel });
      const found = facts(drawing).area;
      expect(Math.abs(found - area)).toBeLessThanOrEqual(deviation * along + 1e-6 * area);
      expect(deviation).toBeLessThan(0.06);
    });
  });
  test.each([
    ['top', [10, 8]],
    ['bottom', [10, -8]],
  ] as [ViewName, P2][])('the hole lies where one sees it from the %s', (view, at) => {
    const circles = facts(draw({ kind: 'view', view, edges: 'silhouette' }).drawing).contours.filter((c) => isFull(c.segments[0]));
    expect((circles[0].segments[0] as { centre: P2 }).centre.map((v) => Number(v.toFixed(6)))).toEqual(at);
  });
  test.each([
    ['right', 1],
    ['left', -1],
    ['front', 1],
    ['back', -1],
  ] as [ViewName, number][])('the step lies on the side on which one sees it from the %s', (view, sign) => {
    const { drawing } = draw({ kind: 'view', view, edges: 'visible' });
    // The step's edge at height 5 is seen from the right and the back; from the others it is the far side.
    const { contours } = facts(drawing);
    const seen = contours.some((c) => c.segments.some((s) => s.kind === 'line' && Math.abs(s.a[1] - 5) < 1e-9 && Math.abs(s.b[1] - 5) < 1e-9));
    expect(seen).toBe(view === 'right' || view === 'back');
    const { x } = viewFrames[view];
    expect(x[view === 'front' || view === 'back' ? 0 : 1]).toBe(sign);
  });
  /** Straight pieces of a layer as the places they run between, each from its lower end. */
  const straight = (d: Drawing, layer: string): string[] =>
    (d.layers.find((l) => l.name === layer)?.contours ?? [])
      .flatMap((c) => c.segments)
      .flatMap((q) =>
        q.kind === 'line'
          ? [
              [q.a, q.b]
                .map((v) => v.map((x) => Number(x.toFixed(6)) + 0).join(' '))
                .sort()
                .join(' to '),
            ]
          : [],
      ) // prettier-ignore
      .sort();
  test.each([
    // The hole of 6 at (10, 8), and the step from (30, 20) on above 5, as each side hides or shows them.
    ['front', [], ['13 0 to 13 10', '7 0 to 7 10', '30 10 to 30 5', '30 5 to 40 5']],
    ['back', ['-30 10 to -30 5', '-30 5 to -40 5'], ['-13 0 to -13 10', '-7 0 to -7 10']],
    ['right', ['20 10 to 20 5', '20 5 to 30 5'], ['11 0 to 11 10', '5 0 to 5 10']],
    ['left', [], ['-11 0 to -11 10', '-5 0 to -5 10', '-20 10 to -20 5', '-20 5 to -30 5']],
    ['top', ['30 20 to 30 30', '30 20 to 40 20'], []],
    ['bottom', [], ['30 -20 to 30 -30', '30 -20 to 40 -20']],
  ] as [ViewName, string[], string[]][])('from the %s: edges that are seen, and those behind in broken lines', (view, seen, hidden) => {
    const { drawing } = draw({ kind: 'view', view, edges: 'hidden' });
    const sorted = (list: string[]) => list.map((l) => l.split(' to ').sort().join(' to ')).sort();
    expect(straight(drawing, 'edges')).toEqual(sorted(seen));
    expect(straight(drawing, 'hidden')).toEqual(sorted(hidden));
    const behind = drawing.layers.find((l) => l.name === 'hidden');
    if (behind) expect([behind.lineType, new Set(behind.contours.map((c) => c.meaning))]).toEqual(['DASHED', new Set(['label'])]);
    expect(draw({ kind: 'view', view, edges: 'visible' }).drawing.layers.map((l) => l.name)).not.toContain('hidden');
  });
  test('upright sections: as one looks along their axis, where they are asked for', () => {
    const area = (axis: 'x' | 'y', height: number) => facts(draw({ kind: 'section', axis, height }).drawing).area;
    expect(area('y', 25)).toBeCloseTo(40 * 10 - 10 * 5, 9);
    expect(area('y', 15)).toBeCloseTo(40 * 10, 9);
    // Through the middle of the hole, and 2 beside it.
    expect(area('y', 8)).toBeCloseTo(40 * 10 - 6 * 10, 9);
    expect(area('y', 10)).toBeCloseTo(40 * 10 - 2 * Math.sqrt(5) * 10, 9);
    expect(area('x', 35)).toBeCloseTo(30 * 10 - 10 * 5, 9);
    expect(area('x', 10)).toBeCloseTo(30 * 10 - 6 * 10, 9);
    const [notch] = draw({ kind: 'section', axis: 'y', height: 25 }).drawing.layers[0].contours;
    expect(notch.segments.some((q) => q.kind === 'line' && [q.a, q.b].every((v) => Math.abs(v[0] - 30) < 1e-9 && v[1] > 5 - 1e-9))).toBe(true);
  });
  test('turned and moved first: the view from above of a block on its side is that of its side', () => {
    const rows = Float64Array.from([1, 0, 0, 0, 0, -1, 0, 1, 0]);
    const stood = drawShape(
      { kind: 'solid', brep: brep() },
      { rows, shift: [100, 50, 7] },
      { kind: 'view', view: 'top', edges: 'silhouette' },
      { engine, kernel },
    );
    expect(facts(stood.drawing).area).toBeCloseTo(400, 9);
    expect(Array.from(boxOfDrawing(stood.drawing), (v) => Number(v.toFixed(6)))).toEqual([100, 40, 140, 50]);
  });
  test('sections at heights, and a stack whose areas times pitch make the volume', () => {
    expect(facts(draw({ kind: 'section', height: 2, axis: 'z' }).drawing).area).toBeCloseTo(1200 - 9 * Math.PI, 6);
    expect(facts(draw({ kind: 'section', height: 7, axis: 'z' }).drawing).area).toBeCloseTo(1200 - 100 - 9 * Math.PI, 6);
    expect(facts(draw({ kind: 'section', height: 10, axis: 'x' }).drawing).area).toBeCloseTo(300 - 60, 6);
    const { drawing } = draw({ kind: 'stack', pitch: 2.5 });
    expect(drawing.layers).toHaveLength(4);
    const volume = drawing.layers.reduce((n, l) => n + netArea(nest({ ...drawing, layers: [l] })) * 2.5, 0);
    expect(volume).toBeCloseTo(12_000 - 500 - 90 * Math.PI, 6);
    expect(() => draw({ kind: 'section', height: 50, axis: 'z' })).toThrow(/misses the part/);
  });
  test('a picked face: outline with its hole; a round face is refused', async () => {
    const areas: number[] = [];
    let refused = 0;
    for (let face = 0; face < 10; face++) {
      try {
        areas.push(facts(draw({ kind: 'face', face }).drawing).area);
      } catch (thrown) {
        refused++;
        expect((thrown as Unusable).code).toBe('not-flat');
      }
    }
    expect(refused).toBe(1);
    // All flat faces together with the hole's wall are the solid's surface.
    expect(areas.reduce((n, a) => n + a, 0)).toBeCloseTo(2 * (1200 + 400 + 300) - 2 * 9 * Math.PI, 6);
  });
  test('the plate of as1: six holes of 10 mm though its file gives them as B-splines', async () => {
    const design = await readDesign(dataFile('as1-oc-214.stp'), 'as1.stp', nodeKernels);
    const plate = design.parts.find((p) => p.summary.name === 'plate')!;
    const { drawing } = drawShape(plate.geometry, none, { kind: 'view', view: 'top', edges: 'silhouette' }, { engine, kernel });
    const circles = facts(drawing).contours.filter((c) => c.segments.length === 1 && isFull(c.segments[0]));
    expect(circles).toHaveLength(6);
    for (const c of circles) expect((c.segments[0] as { radius: number }).radius).toBeCloseTo(5, 4);
  });
  test('a mesh: its silhouette and sections have fitted circles within the stated deviation', () => {
    const mesh = ballMesh(20, 200, 100);
    const silhouette = drawShape({ kind: 'mesh', mesh }, none, { kind: 'view', view: 'top', edges: 'silhouette' }, { engine, kernel: null, fit: 0.05 });
    expect(silhouette.drawing.layers[0].contours[0].segments).toHaveLength(1);
    expect(silhouette.deviation).toBeLessThanOrEqual(0.05);
    const cut = drawShape({ kind: 'mesh', mesh }, none, { kind: 'section', height: 12, axis: 'z' }, { engine, kernel: null, fit: 0.05 });
    expect((cut.drawing.layers[0].contours[0].segments[0] as { radius: number }).radius).toBeCloseTo(16, 1);
    expect(() => drawShape({ kind: 'mesh', mesh }, none, { kind: 'face', face: 0 }, { engine, kernel: null })).toThrow(/no faces/);
  });
  test('raising and drawing again gives back the drawing; the solid is closed and has area times thickness', () => {
    const d = drawingOf(rect(50, 30), round(15, 15, 10), round(15, 15, 4));
    const mesh = raiseDrawing(engine, d, 6, { deviation: 0.001 });
    expect(checkMesh(mesh, 0).closed).toBe(true);
    const area = 1500 - 25 * Math.PI + 4 * Math.PI;
    expect(Math.abs(measureMesh(mesh).volume / (area * 6) - 1)).toBeLessThan(2e-4);
    const back = drawShape({ kind: 'mesh', mesh }, none, { kind: 'section', height: 3, axis: 'z' }, { engine, kernel: null, fit: 0.01 });
    expect(back.drawing.layers[0].contours.map((c) => c.segments.length).sort()).toEqual([1, 1, 4]);
    expect(() => raiseDrawing(engine, drawingOf(lines([[0, 0], [1, 1]], false)), 3)).toThrow(/closed/); // prettier-ignore
  });
});

describe('meanings', () => {
  const meaning = (contours: Contour[], change: Partial<DrawingRecipe> = {}, name = 'L') =>
    meantContours({ layers: [{ name, colour: null, lineType: '', contours }], texts: [], points: [] }, { ...firstDrawingRecipe(), ...change }).map(
      (m) => m.meaning,
    );
  test('by size and nesting: outer, inner, small circles inside, small parts, open lines', () => {
    const contours = [rect(100, 100), round(20, 20, 8), lines([[60, 60], [80, 60], [80, 80]]), lines([[0, -5], [9, -5]], false), lines([[120, 0], [125, 0], [125, 5]])]; // prettier-ignore
    expect(meaning(contours, { smallArea: 50 })).toEqual(['cut', 'hole', 'cut', 'score', 'small']);
    expect(meaning(contours, { holeMost: 5 })[1]).toBe('cut');
  });
  test.each([['bend lines', 'bend'], ['Gravur', 'engrave'], ['drill 5', 'hole'], ['POCKET_3', 'pocket'], ['outer cut', 'cut'], ['Rahmen', 'stock'], ['Text', 'label'], ['score', 'score']] as const)('by the name of its layer: %s is %s', (name, wanted) => expect(meaning([rect(9, 9)], {}, name)).toEqual([wanted])); // prettier-ignore
  test('by depth when the sheet is thicker; by hand before all', () => {
    const stock = { width: 100, height: 100, thickness: 12, material: '', zZero: 'top' as const };
    expect(meaning([{ ...rect(9, 9), depth: 4 }], { stock })).toEqual(['pocket']);
    expect(meaning([{ ...rect(9, 9), depth: 4 }], { stock, byContour: { 0: 'engrave' }, byLayer: { L: 'cut' } })).toEqual(['engrave']);
    expect(meaning([rect(9, 9)], { byLayer: { L: 'bend' } })).toEqual(['bend']);
    expect(meaning([{ ...rect(9, 9), colour: '#0000ff' }, rect(5, 5)], { byColour: { '#0000ff': 'engrave' } })).toEqual(['engrave', 'cut']);
  });
});

describe('the pass of a drawing: written, received, proved', () => {
  const pass = async (
    d: Drawing,
    change: { drawing?: Partial<DrawingRecipe>; file?: Partial<Recipe['file']>; receiver?: string } = {},
    summaryUnit: string | null = 'mm',
    format = 'DXF',
  ) => {
    const part = partOfDrawing(d, { name: 'board', path: ['board'], quantity: 1, unit: summaryUnit, format, places: [identityRows] });
    const first = firstRecipe(part.summary, readyReceivers);
    const recipe: Recipe = {
      ...first,
      receiver: receiverIn(readyReceivers, change.receiver ?? 'martin'),
      file: { ...first.file, ...change.file },
      drawing: { ...first.drawing!, ...change.drawing },
    };
    const written = await writeDrawing(part.summary, d, recipe, engine);
    const bytes = Buffer.concat([...written.pieces]);
    const received = await receiveDrawing(bytes, recipe.file.format, recipe.receiver);
    return { bytes, written, received, evidence: proveDrawing(written.designed, received) };
  };
  const claim = (e: Awaited<ReturnType<typeof pass>>['evidence'], quantity: string) => e.claims.find((c) => c.quantity === quantity)!;
  test.each(['R12', '2000', '2018'] as const)(
    'a 10 by 16 inch board with a 6 inch circle through DXF %s to the router: 254 by 406.4 mm, one true circle of 478.78 mm',
    async (version) => {
      const { received, evidence } = await pass(drawingOf(...board()), { drawing: { version } });
      expect(evidence.verdict).toBe('clear');
      expect(claim(evidence, 'Width X').received).toBeCloseTo(254, 9);
      expect(claim(evidence, 'Height Y').received).toBeCloseTo(406.4, 9);
      expect(received.check.segments).toMatchObject({ line: 4, arc: 1 });
      const own = received.meant.find((m) => isFull(m.contour.segments[0]))!;
      expect(lengthOfContour(own.contour)).toBeCloseTo(478.779, 3);
      expect(received.diameters).toEqual([152.4]);
    },
  );
  test.each(['svg', 'pdf'] as const)('the same through %s', async (format) => {
    const { evidence } = await pass(drawingOf(...board()), { receiver: format === 'pdf' ? 'pipit' : 'swift', file: { format } });
    expect(evidence.claims.filter((c) => c.verdict !== 'clear')).toEqual([]);
    expect(claim(evidence, 'Width X').received).toBeCloseTo(254, 5);
  });
  test('a PDF page is the drawing plus its rim, at 72 points an inch, the same each time', async () => {
    const [a, b] = [
      await pass(drawingOf(...board()), { receiver: 'pipit', file: { format: 'pdf' } }),
      await pass(drawingOf(...board()), { receiver: 'pipit', file: { format: 'pdf' } }),
    ];
    expect(a.bytes.equals(b.bytes)).toBe(true);
    const box = /\/MediaBox \[ ?0 0 ([\d.]+) ([\d.]+)/.exec(a.bytes.toString('latin1'))!;
    expect((Number(box[1]) * 25.4) / 72).toBeCloseTo(254 + 30, 3);
  });
  test('kerf: the received outer is larger by the kerf, the hole smaller; the claim is against what is meant', async () => {
    const { received, evidence } = await pass(drawingOf(...board()), { drawing: { kerf: 0.2 } });
    expect(evidence.verdict).toBe('clear');
    expect(received.check.box[2] - received.check.box[0]).toBeCloseTo(254.2, 9);
    expect(received.diameters[0]).toBeCloseTo(152.2, 9);
  });
  test('place: turned, mirrored, datum at corner, middle or a point', async () => {
    const l = drawingOf(lines([[5, 5], [45, 5], [45, 15], [15, 15], [15, 65], [5, 65]])); // prettier-ignore
    const turned = await pass(l, { drawing: { place: { turn: 90, mirror: false, datum: 'corner', point: [0, 0], at: [0, 0] } } });
    turned.received.check.box.forEach((v, i) => expect(v).toBeCloseTo([0, 0, 60, 40][i], 9));
    const middle = await pass(l, { drawing: { place: { turn: 0, mirror: false, datum: 'middle', point: [0, 0], at: [0, 0] } } });
    middle.received.check.box.forEach((v, i) => expect(v).toBeCloseTo([-20, -30, 20, 30][i], 9));
    const point = await pass(l, { drawing: { place: { turn: 0, mirror: true, datum: 'point', point: [5, 5], at: [0, 0] } } });
    point.received.check.box.forEach((v, i) => expect(v).toBeCloseTo([-40, 0, 0, 60][i], 9));
  });
  test('layers by meaning arrive with names, colours and line types of choice', async () => {
    const looks = { bend: { name: 'Fold 1', colour: '#00ff00', lineType: 'DASHED' as const } };
    const { received } = await pass(drawingOf(rect(100, 60), round(20, 20, 6), lines([[50, 0], [50, 60]], false)), { drawing: { byContour: { 2: 'bend' }, looks } }); // prettier-ignore
    expect(received.drawing.layers.map((l) => [l.name, l.colour, l.lineType.toUpperCase()])).toEqual([['Fold 1', '#00ff00', 'DASHED'], ['HOLES', '#ff00ff', 'CONTINUOUS'], ['CUT', '#ff0000', 'CONTINUOUS']]); // prettier-ignore
  });
  test('pockets of different depths lie on layers of their own, and the machine reads the depth from the name', async () => {
    const stock = { width: 300, height: 300, thickness: 12, material: '', zZero: 'top' as const };
    const { received, evidence } = await pass(drawingOf(rect(100, 60), { ...round(20, 20, 20), depth: 3 }, { ...round(60, 30, 20), depth: 5.5 }), {
      drawing: { stock, version: 'R12' },
    });
    expect(evidence.verdict).toBe('clear');
    expect(received.meant.filter((m) => m.meaning === 'pocket').map((m) => [m.layer, m.contour.depth])).toEqual([['POCKET_3MM', 3], ['POCKET_5_5MM', 5.5]]); // prettier-ignore
  });
  test('repeated parts as blocks arrive as the same contours', async () => {
    const parts = [0, 40, 80].flatMap((x) => [lines([[x, 0], [x + 30, 0], [x + 30, 20], [x, 20]]), round(x + 10, 10, 6)]); // prettier-ignore
    const { bytes, received, evidence } = await pass(drawingOf(...parts), { drawing: { blocks: true } });
    expect(bytes.toString('latin1').match(/\nINSERT\n/g)).toHaveLength(3);
    expect(evidence.verdict).toBe('clear');
    expect(received.check).toMatchObject({ contours: 6, holes: 3 });
  });
  const curved = () => drawingOf(contourOf([{ kind: 'ellipse', centre: [50, 40], u: [40, 0], ratio: 0.6, start: 0, sweep: 2 * Math.PI }], true));
  test('curves for a machine that takes none become arcs within the deviation, measured; others get them as they are', async () => {
    const plain = await pass(curved(), { receiver: 'swift' });
    expect(plain.evidence.verdict).toBe('clear');
    expect(plain.received.check.segments).toMatchObject({ ellipse: 0, spline: 0 });
    expect(claim(plain.evidence, 'Deviation').received as number).toBeLessThanOrEqual(0.0101);
    expect((await pass(curved())).received.check.segments).toMatchObject({ ellipse: 1 });
  });
  test('what a machine does not read is refused in words: version, curves, format', async () => {
    await expect(pass(drawingOf(...board()), { receiver: 'swift', drawing: { version: '2018' } })).rejects.toThrow(
      /does not read DXF 2018; it reads R12, 2000/,
    );
    await expect(pass(drawingOf(...board()), { receiver: 'pipit' })).rejects.toThrow(/does not read DXF/);
    const withCurves = (await pass(curved())).bytes;
    await expect(receiveDrawing(withCurves, 'dxf', receiverIn(readyReceivers, 'swift'))).rejects.toThrow(/lines and arcs only/);
  });
  test('a unit that the machine does not look at is caught and named: inches to a laser that takes mm', async () => {
    const { evidence } = await pass(drawingOf(...board()), { receiver: 'swift', file: { unit: 'in' } });
    expect(evidence.verdict).toBe('stop');
    expect(claim(evidence, 'Width X').received).toBeCloseTo(10, 9);
    expect(evidence.findings.find((f) => f.code === 'other-size')?.message).toMatch(/0\.03937.*inches/);
    // The router reads the unit.
    expect((await pass(drawingOf(...board()), { file: { unit: 'in' } })).evidence.verdict).toBe('clear');
  });
  test('SVG in mm to a machine that counts at 96 per inch is caught; in its numbers it is clear', async () => {
    const wrong = await pass(drawingOf(round(50, 50, 80)), { receiver: 'plover', file: { format: 'svg', unit: 'mm' } });
    expect(wrong.evidence.verdict).toBe('stop');
    expect((await pass(drawingOf(round(50, 50, 80)), { receiver: 'plover', file: { format: 'svg', unit: '96dpi' } })).evidence.verdict).toBe('clear');
  });
  test('a changed file is not proved: a moved line, a lost hole, splintered arcs', async () => {
    const { bytes, written } = await pass(drawingOf(...board()));
    const text = bytes.toString('latin1');
    const swift = receiverIn(readyReceivers, 'martin');
    for (const [from, to, quantity] of [
      ['\n406.4\n', '\n406.5\n', 'Height Y'],
      [/0\nCIRCLE[\s\S]*?(?=0\nENDSEC)/, '', 'Holes'],
      ['\n76.2\n', '\n76.25\n', 'Circles, diameters'],
    ] as [string | RegExp, string, string][]) {
      const at = text.indexOf('ENTITIES');
      const changed = text.slice(0, at) + text.slice(at).replace(from, to);
      expect(changed).not.toBe(text);
      const evidence = proveDrawing(written.designed, await receiveDrawing(Buffer.from(changed, 'latin1'), 'dxf', swift));
      expect(claim(evidence, quantity).verdict).toBe('stop');
    }
    const splintered = await pass(drawingOf(board()[0], lines(ring([127, 203.2], 76.2, 360))));
    const evidence = proveDrawing(written.designed, splintered.received);
    expect(claim(evidence, 'Arcs and circles').verdict).toBe('stop');
  });
  test('off the sheet, off the machine: by how much', async () => {
    const stock = { width: 200, height: 500, thickness: 3, material: '', zZero: 'top' as const };
    const { written } = await pass(drawingOf(...board()), { drawing: { stock } });
    expect(written.findings.find((f) => f.code === 'off-the-stock')?.message).toMatch(/54\.0 mm too long/);
    const large = await pass(drawingOf(rect(3000, 100)));
    expect(large.evidence.findings.find((f) => f.code === 'off-the-bed')?.message).toMatch(/560\.0 mm/);
  });
});

describe('stand-in machines', () => {
  test('order of cuts: engraving, then holes, inner before outer', () => {
    const d: Drawing = { layers: [{ name: 'cut', colour: null, lineType: '', contours: [rect(100, 100), lines([[20, 20], [80, 20], [80, 80], [20, 80]])] }, { name: 'holes', colour: null, lineType: '', contours: [round(10, 10, 4)] }, { name: 'engrave', colour: null, lineType: '', contours: [lines([[5, 5], [9, 9]], false)] }], texts: [], points: [] }; // prettier-ignore
    const meant = meantContours(d, firstDrawingRecipe());
    expect(cutOrder(meant).map((s) => `${s.layer} ${s.length.toFixed(0)}`)).toEqual(['engrave 6', 'holes 13', 'cut 240', 'cut 400']);
  });
  const cutter = () => receiverIn(readyReceivers, 'martin').cutter!;
  const choice = { stock: { width: 100, height: 80, thickness: 10 }, bit: 6, side: 'on' as 'on' | 'waste', below: 0.2, pocketDepth: 4, engraveDepth: 2 };
  const carved = (contours: Contour[], byContour: DrawingRecipe['byContour'], change: Partial<typeof choice> = {}) =>
    carve(engine, meantContours(drawingOf(...contours), { ...firstDrawingRecipe(), byContour }), cutter(), { ...choice, ...change });
  test('a pocket takes its area less the corners that the bit can not reach, times its depth', () => {
    const made = carved([lines([[20, 20], [60, 20], [60, 50], [20, 50]])], { 0: 'pocket' }); // prettier-ignore
    const area = 1200 - (4 - Math.PI) * 9;
    expect(Math.abs(made.removed / (area * 4) - 1)).toBeLessThan(0.01);
    expect(made.deepest).toBeCloseTo(4, 6);
  });
  test('a slot takes length times bit; on the waste side of a hole the hole comes out in its size', () => {
    const slot = carved([lines([[20, 40], [80, 40]], false)], { 0: 'cut' }); // prettier-ignore
    expect(Math.abs(slot.removed / ((60 * 6 + 9 * Math.PI) * 10) - 1)).toBeLessThan(0.01);
    const hole = carved([rect(100, 80), round(50, 40, 20)], {}, { side: 'waste' });
    // The ring that the bit runs in the hole: outer radius 10, inner 4.
    const cells = [...hole.depths].filter(
      (d, i) => d > 10 && Math.hypot(hole.x + (i % hole.columns) * hole.cell - 50, hole.y + Math.floor(i / hole.columns) * hole.cell - 40) < 15,
    ).length;
    expect(Math.abs((cells * hole.cell ** 2) / (Math.PI * (100 - 16)) - 1)).toBeLessThan(0.02);
    expect(hole.passes).toBe(2 * Math.ceil(10.2 / 5));
  });
  test('a V bit of 60 degrees makes a groove 2 d tan(30) wide', () => {
    const made = carved([lines([[20, 40], [80, 40]], false)], { 0: 'engrave' }); // prettier-ignore
    const column = Math.round((50 - made.x) / made.cell);
    const cut = Array.from({ length: made.rows }, (_, r) => made.depths[r * made.columns + column]).filter((d) => d > 0);
    expect(Math.abs(cut.length * made.cell - 4 * Math.tan(Math.PI / 6))).toBeLessThan(2 * made.cell);
    // The deepest cell lies up to half a cell beside the path.
    expect(Math.max(...cut)).toBeGreaterThan(2 - made.cell / 2 / Math.tan(Math.PI / 6) - 1e-6);
  });
  test('what goes wrong is said: beyond the sheet, a pocket through it, a hole smaller than the bit', () => {
    expect(carved([lines([[-5, 0], [20, 0], [20, 20]])], {}).findings.map((f) => f.code)).toContain('off-the-stock'); // prettier-ignore
    expect(carved([rect(40, 40)], { 0: 'pocket' }, { pocketDepth: 12 }).findings.map((f) => f.code)).toContain('pocket-through');
    expect(carved([rect(60, 60), round(30, 30, 4)], {}, { side: 'waste' }).findings.map((f) => f.code)).toContain('hole-too-small');
  });
});
