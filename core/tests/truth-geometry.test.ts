/** Geometry under the proof: exact boxes, shapes that touch, touches and crossings, splitting, ways in, strokes, holes and voids. */
import fc from 'fast-check';
import { describe, expect, test } from 'vitest';
import { derivativeOf, productOf, rootsOf, valueOf } from '../src/curves/bernstein.ts';
import { chained } from '../src/curves/chain.ts';
import { checkDrawing } from '../src/curves/check.ts';
import { chordFigures, turningOf } from '../src/curves/chords.ts';
import { areaOfContour, contourOf, contoursOf, type Contour, type Drawing } from '../src/curves/drawing.ts';
import { segmentsNear, withLead } from '../src/curves/lead.ts';
import { growBySegment, lengthOf, noBox } from '../src/curves/measure.ts';
import { mergedArcs } from '../src/curves/merge.ts';
import { nest } from '../src/curves/nest.ts';
import { circle, distance, fromBulge, pieceOf, pointAt, type P2, type Segment, type SplineSegment } from '../src/curves/segment.ts';
import { asBeziers, spanCurves } from '../src/curves/spline.ts';
import { splitAtMeetings } from '../src/curves/split.ts';
import { mostStrokePoints, strokesOutlined } from '../src/curves/strokes.ts';
import { throughHolesOf } from '../src/surfaces/genus.ts';
import { readBrepText } from '../src/surfaces/brep-text.ts';
import { facetAllowance } from '../src/facets/allowance.ts';
import { throughHoles, voidsOf } from '../src/geometry/genus.ts';
import { together } from '../src/geometry/shells.ts';
import type { Mesh } from '../src/geometry/mesh.ts';
import { nodeEngine } from '../src/engine/load.ts';
import { insUnitsOf, mmPer, unitOfInsUnits, unitTable } from '../src/base/units.ts';
import { ballMesh, dice, movedMesh } from './data.more.ts';
import { drawingOf, lines, ring, round } from './drawing.data.ts';

const number = fc.double({ min: -100, max: 100, noNaN: true, noDefaultInfinity: true });
const point = fc.tuple(number, number).map(([x, y]): P2 => [x, y]);

/** Box by looking at many points. */
function sampledBox(s: Segment, n = 4000): number[] {
  const box = [Infinity, Infinity, -Infinity, -Infinity];
  for (let i = 0; i <= n; i++) {
    const [x, y] = pointAt(s, i / n);
    box[0] = Math.min(box[0], x);
    box[1] = Math.min(box[1], y);
    box[2] = Math.max(box[2], x);
    box[3] = Math.max(box[3], y);
  }
  return box;
}

const boxOf = (s: Segment) => {
  const box = noBox();
  growBySegment(box, s);
  return box;
};

describe('Bernstein polynomials', () => {
  test('roots of (t - 1/4)(t - 1/2)(t - 3/4), all of them and in order', () => {
    const factor = (r: number) => [-r, 1 - r];
    const p = productOf(productOf(factor(0.25), factor(0.5)), factor(0.75));
    expect(rootsOf(p).map((r) => Number(r.toFixed(12)))).toEqual([0.25, 0.5, 0.75]);
  });
  test.each([
    ['double root inside', [0.25, -0.25, 0.25], [0.5]],
    ['root at the start', [0, 1, 1], [0]],
    ['root at the end', [1, 1, 0], [1]],
    ['none', [1, 0.1, 1], []],
    ['zero throughout', [0, 0, 0], []],
  ])('%s', (_, b, roots) => {
    expect(rootsOf(b).length).toBe(roots.length);
    roots.forEach((r, i) => expect(rootsOf(b)[i]).toBeCloseTo(r, 7));
  });
  test('every sign change of sampled values has a root near it', () => {
    fc.assert(
      fc.property(fc.array(number, { minLength: 2, maxLength: 7 }), (b) => {
        const roots = rootsOf(b);
        for (let i = 0; i < 200; i++) {
          const [t, u] = [i / 200, (i + 1) / 200];
          if (valueOf(b, t) * valueOf(b, u) < 0) expect(roots.some((r) => r >= t - 1e-9 && r <= u + 1e-9)).toBe(true);
        }
      }),
      { numRuns: 200, seed: 1 },
    );
  });
  test('the derivative of t cubed is 3 t squared', () => {
    expect(valueOf(derivativeOf([0, 0, 0, 1]), 0.5)).toBeCloseTo(0.75, 12);
  });
});

describe('boxes of curves are exact', () => {
  test('an arch whose velocity is exactly 0 at its top: 60 of 80 high', () => {
    const arch: Segment = { kind: 'bezier', points: [[0, 0], [0, 80], [80, 80], [80, 0]] }; // prettier-ignore
    expect(boxOf(arch).map((v) => Number(v.toFixed(12)))).toEqual([0, 0, 80, 60]);
  });
  test('cubic Béziers: no sampled point lies outside, and each side is reached', () => {
    fc.assert(
      fc.property(fc.tuple(point, point, point, point), (points) => {
        const s: Segment = { kind: 'bezier', points };
        const [box, seen] = [boxOf(s), sampledBox(s)];
        for (let k = 0; k < 4; k++) {
          const over = k < 2 ? box[k] - seen[k] : seen[k] - box[k];
          expect(over).toBeLessThan(1e-9);
          // 4000 samples miss the extreme of a cubic of this size by less than this.
          expect(-over).toBeLessThan(1e-3);
        }
      }),
      { numRuns: 300, seed: 2 },
    );
  });
  test('rational splines of any degree, with corners at knots', () => {
    const spline = fc
      .record({
        degree: fc.integer({ min: 1, max: 5 }),
        points: fc.array(point, { minLength: 6, maxLength: 9 }),
        weights: fc.array(fc.double({ min: 0.2, max: 5, noNaN: true }), { minLength: 9, maxLength: 9 }),
        twice: fc.boolean(),
      }) // prettier-ignore
      .map(({ degree, points, weights, twice }): SplineSegment => {
        const inner = Array.from({ length: points.length - degree - 1 }, (_, i) => (twice ? Math.floor(i / degree) + 1 : i + 1));
        const last = (inner[inner.length - 1] ?? 0) + 1;
        const knots = [...Array<number>(degree + 1).fill(0), ...inner, ...Array<number>(degree + 1).fill(last)];
        return { kind: 'spline', degree, knots, points, weights: weights.slice(0, points.length) };
      });
    fc.assert(
      fc.property(spline, (s) => {
        const [box, seen] = [boxOf(s), sampledBox(s)];
        for (let k = 0; k < 4; k++) expect(k < 2 ? box[k] - seen[k] : seen[k] - box[k]).toBeLessThan(1e-7);
        for (let k = 0; k < 4; k++) expect(k < 2 ? seen[k] - box[k] : box[k] - seen[k]).toBeLessThan(0.05);
      }),
      { numRuns: 150, seed: 3 },
    );
  });
  test('spans as Bézier curves are the spline itself', () => {
    const s: SplineSegment = { kind: 'spline', degree: 3, knots: [0, 0, 0, 0, 1, 2, 2, 3, 3, 3, 3], points: [[0, 0], [1, 5], [4, 4], [6, -2], [8, 0], [9, 3], [12, 1]], weights: null }; // prettier-ignore
    for (const { from, to, x, y } of spanCurves(s)) {
      for (const t of [0, 0.3, 0.7, 1]) expect(distance([valueOf(x, t), valueOf(y, t)], pointAt(s, from + (to - from) * t))).toBeLessThan(1e-12);
    }
    expect(asBeziers(s, 0).segments.length).toBe(3);
  });
});

describe('a bulge under the noise of its chord is a line', () => {
  test.each([
    [9.9e-9, 'line'],
    [1.01e-8, 'arc'],
    [-9.9e-9, 'line'],
    [-1.01e-8, 'arc'],
    [0, 'line'],
    [NaN, 'line'],
  ])('bulge %f is a %s', (bulge, kind) => {
    expect(fromBulge([0, 0], [40, 0], bulge).kind).toBe(kind);
  });
});

describe('shapes that touch stay apart', () => {
  const loose = (contours: Contour[], seed: number): Drawing => {
    const next = dice(seed);
    const pieces = contours.flatMap((c) => c.segments).map((s) => (next(1000) < 500 ? s : s.kind === 'line' ? { ...s, a: s.b, b: s.a } : s));
    pieces.sort(() => next(1000) - 500);
    return drawingOf(...pieces.map((s) => contourOf([s], false)));
  };
  const square = (x: number, y: number, s = 10) => lines([[x, y], [x + s, y], [x + s, y + s], [x, y + s]]); // prettier-ignore
  test.each([2, 3, 6, 12])('a board of %i by as many squares, every second one: each its own', (n) => {
    const squares = [];
    for (let i = 0; i < n; i++) for (let j = i % 2; j < n; j += 2) squares.push(square(i * 10, j * 10));
    const { drawing } = chained(loose(squares, n), 1e-6);
    const contours = contoursOf(drawing);
    expect(contours.length).toBe(squares.length);
    for (const c of contours) expect(Math.abs(areaOfContour(c))).toBeCloseTo(100, 9);
  });
  test('blades about one point', () => {
    for (const blades of [3, 8, 40]) {
      const list = Array.from({ length: blades }, (_, i) => {
        const [a, b] = [(2 * Math.PI * i) / blades, (2 * Math.PI * (i + 0.5)) / blades];
        return lines([[0, 0], [20 * Math.cos(a), 20 * Math.sin(a)], [20 * Math.cos(b), 20 * Math.sin(b)]]); // prettier-ignore
      });
      expect(contoursOf(chained(loose(list, blades), 1e-6).drawing).filter((c) => c.closed).length).toBe(blades);
    }
  });
  test('a hole that touches the corner of its plate is a hole', () => {
    const { drawing } = chained(loose([square(0, 0, 40), square(0, 0, 10)], 5), 1e-6);
    expect(checkDrawing(drawing)).toMatchObject({ contours: 2, holes: 1 });
    expect(checkDrawing(drawing).area).toBeCloseTo(1500, 9);
  });
  test('lobes of arcs that leave a point in one direction', () => {
    const lobe = (r: number, up: 1 | -1): Segment => ({
      kind: 'arc',
      centre: [0, up * r],
      radius: r,
      start: up > 0 ? -Math.PI / 2 : Math.PI / 2,
      sweep: 2 * Math.PI,
    });
    const halves = [lobe(10, 1), lobe(6, -1)].flatMap((s) => [
      pieceOf(s as Exclude<Segment, SplineSegment>, 0, 0.5),
      pieceOf(s as Exclude<Segment, SplineSegment>, 0.5, 1),
    ]);
    const contours = contoursOf(chained(drawingOf(...halves.map((s) => contourOf([s], false))), 1e-6).drawing);
    expect(contours.map((c) => Math.round(Math.abs(areaOfContour(c)) * 1e6) / 1e6).sort((a, b) => a - b)).toEqual(
      [Math.PI * 36, Math.PI * 100].map((v) => Math.round(v * 1e6) / 1e6),
    );
  });
  test('two lines that cross at their middles stay straight', () => {
    const at: P2 = [5, 5];
    const pieces = [[[0, 0], at], [at, [10, 10]], [[0, 10], at], [at, [10, 0]]].map(([a, b]) => contourOf([{ kind: 'line' as const, a: a as P2, b: b as P2 }], false)); // prettier-ignore
    const contours = contoursOf(chained(drawingOf(...pieces), 1e-6).drawing);
    expect(contours.length).toBe(2);
    for (const c of contours) expect(distance(pointAt(c.segments[0], 0), pointAt(c.segments[1], 1))).toBeCloseTo(Math.SQRT2 * 10, 9);
  });
  // A gap of a millionth is what digits leave: the curve's end moves over it. Wider ones get a line.
  test.each([
    [1.9e-6, 0],
    [2.1e-6, 1],
  ])('two curves %f mm apart are joined with %i lines between them', (gap, between) => {
    const curve = (x: number): Segment => ({ kind: 'bezier', points: [[x, 0], [x + 3, 5], [x + 7, 5], [x + 10, 0]] }); // prettier-ignore
    const [c, ...more] = contoursOf(chained(drawingOf(contourOf([curve(0)], false), contourOf([curve(10 + gap)], false)), 1e-5).drawing);
    expect(more).toEqual([]);
    expect(c.segments.filter((s) => s.kind === 'line').length).toBe(between);
    expect(distance(pointAt(c.segments[0], 1), pointAt(c.segments[1], 0))).toBe(0);
  });
  test('edges drawn twice fall back to what was there: every piece is kept', () => {
    const { drawing } = chained(loose([square(0, 0), square(0, 0)], 9), 1e-6);
    expect(contoursOf(drawing).reduce((n, c) => n + c.segments.length, 0)).toBe(8);
  });
});

describe('touch or crossing', () => {
  const plate = lines([[0, 0], [100, 0], [100, 50], [0, 50]]); // prettier-ignore
  // The tolerance of the check is 1e-4 mm here: going in by no more than that is a touch.
  test.each([
    ['well inside', 39.9, 0, 0],
    ['just short of the edge', 39.9998, 0, 0],
    ['on the edge', 40, 1, 0],
    ['over it by less than the tolerance', 40.00009, 1, 0],
    ['over it by more', 40.0003, 0, 2],
  ])('a circle %s', (_, y, touches, crossings) => {
    const check = checkDrawing(drawingOf(plate, round(50, y, 20)), 1e-4);
    expect([check.touches.length, check.crossings.length]).toEqual([touches, crossings]);
  });
  test.each([
    ['apart', 20.001, 0, 0],
    ['touching outside', 20, 1, 0],
    ['crossing', 19.9, 0, 2],
    ['touching inside', 4, 1, 0],
  ])('two circles %s', (_, d, touches, crossings) => {
    const check = checkDrawing(drawingOf(round(0, 0, 24), round(d, 0, 16)), 1e-4);
    expect([check.touches.length, check.crossings.length]).toEqual([touches, crossings]);
  });
  test('a full ellipse does not cross itself at its own start', () => {
    const ellipse: Segment = { kind: 'ellipse', centre: [0, 0], u: [30, 5], ratio: 0.4, start: 0.3, sweep: 2 * Math.PI };
    expect(checkDrawing(drawingOf(contourOf([ellipse], true)))).toMatchObject({ crossings: [], touches: [] });
  });
});

test('ten thousand rings in each other are sorted, each one deeper than the one around it', () => {
  const rings = Array.from({ length: 2000 }, (_, i) => round(0, 0, 10 + i));
  const depths = nest(drawingOf(...rings)).map((n) => n.depth);
  expect(depths).toEqual(depths.map((_, i) => i));
});

describe('pieces of one circle are one again', () => {
  const whole = circle([3, 4], 10);
  test.each([2, 3, 4, 7])('%i pieces', (n) => {
    const parts = Array.from({ length: n }, (_, i) => pieceOf(whole, i / n, (i + 1) / n));
    const [one, ...more] = mergedArcs(parts, true);
    expect(more).toEqual([]);
    expect((one as { sweep: number }).sweep).toBeCloseTo(2 * Math.PI, 12);
  });
  test('just inside and outside of the share that counts as the same circle', () => {
    const halves = (off: number): Segment[] => [pieceOf(whole, 0, 0.5), { ...(pieceOf(whole, 0.5, 1) as typeof whole), radius: 10 + off }];
    expect(mergedArcs(halves(0.5e-6), false).length).toBe(1);
    expect(mergedArcs(halves(2e-6), false).length).toBe(2);
  });
});

test('chords confirm exact figures: an ellipse by quadrature, by its formula, and by chords', () => {
  const ellipse: Segment = { kind: 'ellipse', centre: [1, 2], u: [30, 0], ratio: 0.4, start: 0, sweep: 2 * Math.PI };
  const drawing = drawingOf(contourOf([ellipse], true));
  const fine = 1e-5;
  const chords = chordFigures(drawing, nest(drawing), fine);
  expect(Math.abs(chords.area - Math.PI * 30 * 12)).toBeLessThan(lengthOf(ellipse) * fine);
  expect(lengthOf(ellipse) - chords.length).toBeLessThan(turningOf(ellipse) * fine);
  expect(lengthOf(ellipse)).toBeGreaterThan(chords.length);
  // Ramanujan's second approximation; off by less than 1e-4 of itself for this ratio. Source: Ramanujan, 1914.
  const h = ((30 - 12) / (30 + 12)) ** 2;
  expect(lengthOf(ellipse)).toBeCloseTo(Math.PI * 42 * (1 + (3 * h) / (10 + Math.sqrt(4 - 3 * h))), 3);
});

describe('splitting', () => {
  test('a bar across a plate: two T-joints', () => {
    const plate = lines([[0, 0], [60, 0], [60, 40], [0, 40]]); // prettier-ignore
    const { drawing, places } = splitAtMeetings(drawingOf(plate, lines([[30, 0], [30, 40]], false))); // prettier-ignore
    expect(places).toBe(2);
    expect(contoursOf(drawing).reduce((n, c) => n + c.segments.reduce((m, s) => m + lengthOf(s), 0), 0)).toBeCloseTo(240, 9);
    expect(contoursOf(drawing).reduce((n, c) => n + c.segments.length, 0)).toBe(7);
  });
  test('two crossing circles become two moons and a lens, their lengths kept', () => {
    const { drawing, places } = splitAtMeetings(drawingOf(round(0, 0, 20), round(10, 0, 20)));
    expect(places).toBe(2);
    const contours = contoursOf(drawing);
    expect(contours.reduce((n, c) => n + c.segments.length, 0)).toBe(4);
    expect(contours.reduce((n, c) => n + c.segments.reduce((m, s) => m + lengthOf(s), 0), 0)).toBeCloseTo(40 * Math.PI, 9);
    expect(contours.every((c) => c.closed)).toBe(true);
    // Moons are what the even-odd rule fills. Source: circular segment, 2 r^2 acos(d / 2r) - d / 2 sqrt(4 r^2 - d^2).
    const lens = 2 * 100 * Math.acos(0.5) - 5 * Math.sqrt(300);
    expect(contours.map((c) => Math.abs(areaOfContour(c))).sort((a, b) => a - b)[0]).toBeCloseTo(100 * Math.PI - lens, 6);
  });
});

describe('ways in', () => {
  const plate = lines([[0, 0], [60, 0], [60, 40], [0, 40]]); // prettier-ignore
  test.each([
    ['outer', false, [30, -5]],
    ['hole', true, [30, 5]],
  ])('%s: from the waste side to the middle of the longest piece', (_, inside, from) => {
    const led = withLead(plate, 5, inside, segmentsNear([plate]))!;
    expect(led.lead.segments[0]).toMatchObject({ a: from, b: [30, 0] });
    expect(Math.abs(areaOfContour(led.contour))).toBeCloseTo(2400, 9);
    expect(pointAt(led.contour.segments[0], 0)).toEqual([30, 0]);
  });
  test('none where there is no room', () => {
    const other = lines([[20, -4], [40, -4], [40, -2], [20, -2]]); // prettier-ignore
    expect(withLead(plate, 5, false, segmentsNear([plate, other]))).toBeNull();
    expect(withLead(plate, 1.9, false, segmentsNear([plate, other]))).not.toBeNull();
  });
});

describe('strokes with a width become outlines', () => {
  test('a closed square of lines gets both parallels exactly; a hairline stays', async () => {
    const engine = await nodeEngine();
    const square = { ...lines([[0, 0], [40, 0], [40, 40], [0, 40]]), width: 2 }; // prettier-ignore
    const hair = { ...lines([[0, 60], [40, 60]], false), width: 0.1 }; // prettier-ignore
    const { drawing, outlined } = strokesOutlined(engine, drawingOf(square, hair));
    expect(outlined).toBe(1);
    const areas = contoursOf(drawing)
      .filter((c) => c.closed)
      .map((c) => Math.abs(areaOfContour(c)));
    expect(areas.map((a) => Number(a.toFixed(6)))).toEqual([42 * 42, 38 * 38]);
    expect(contoursOf(drawing).length).toBe(3);
  });
  test('an open line gets round ends: length times width and a disc', async () => {
    const bar = { ...lines([[0, 0], [30, 0]], false), width: 4 }; // prettier-ignore
    const { drawing, measured } = strokesOutlined(await nodeEngine(), drawingOf(bar));
    const [c, ...more] = contoursOf(drawing);
    expect(more).toEqual([]);
    expect(Math.abs(areaOfContour(c))).toBeCloseTo(120 + 4 * Math.PI, 1);
    expect(measured).toBeLessThan(0.01);
  });
  test('a stroke of too many points stays a line and is counted; one of just as many as may be does not', async () => {
    const engine = await nodeEngine();
    // A comb of single teeth far apart: as many points as are asked for.
    const comb = (n: number) => ({ ...lines(Array.from({ length: n }, (_, i): [number, number] => [i, i % 2]), false), width: 0.3 }); // prettier-ignore
    expect(strokesOutlined(engine, drawingOf(comb(50)), 1, 50)).toMatchObject({ outlined: 1, left: 0 });
    const over = strokesOutlined(engine, drawingOf(comb(51)), 1, 50);
    expect(over).toMatchObject({ outlined: 0, left: 1 });
    expect(contoursOf(over.drawing)[0].closed).toBe(false);
    expect(strokesOutlined(engine, drawingOf(comb(mostStrokePoints + 1)))).toMatchObject({ outlined: 0, left: 1 });
  });
});

describe('holes and voids of meshes', () => {
  const torus = (n: number, at = 0): Mesh => {
    const positions: number[] = [];
    const triangles: number[] = [];
    for (let i = 0; i < n; i++) {
      for (let j = 0; j < n; j++) {
        const [a, b] = [(2 * Math.PI * i) / n, (2 * Math.PI * j) / n];
        positions.push((20 + 6 * Math.cos(b)) * Math.cos(a) + at, (20 + 6 * Math.cos(b)) * Math.sin(a), 6 * Math.sin(b));
        const v = (k: number, l: number) => (k % n) * n + (l % n);
        triangles.push(v(i, j), v(i + 1, j), v(i + 1, j + 1), v(i, j), v(i + 1, j + 1), v(i, j + 1));
      }
    }
    return { positions: Float64Array.from(positions), triangles: Uint32Array.from(triangles) };
  };
  test('ball 0, torus 1, two tori 2; open mesh not known', () => {
    expect(throughHoles(ballMesh(10, 12, 8))).toBe(0);
    expect(throughHoles(torus(12))).toBe(1);
    expect(throughHoles(together([torus(12), torus(9, 100)]))).toBe(2);
    const open = torus(12);
    expect(throughHoles({ ...open, triangles: open.triangles.slice(3) })).toBeNull();
  });
  test('a void is a shell of negative volume', () => {
    const ball = ballMesh(20, 12, 8);
    expect(voidsOf(ball)).toBe(0);
    expect(voidsOf(together([ball, movedMesh(ballMesh(5, 8, 6), [0, 0, 0], true)]))).toBe(1);
    expect(voidsOf(together([ball, ballMesh(5, 8, 6)]))).toBe(0);
  });
});

test('what facets of a cylinder may lose is above what they do lose, and not by much', () => {
  const [r, h, n] = [10, 30, 24];
  const corners = ring([0, 0], r, n);
  const positions = Float64Array.from([...corners.flatMap(([x, y]) => [x, y, 0]), ...corners.flatMap(([x, y]) => [x, y, h]), 0, 0, 0, 0, 0, h]);
  const wall = corners.flatMap((_, i) => [i, (i + 1) % n, n + ((i + 1) % n), i, n + ((i + 1) % n), n + i]);
  const low = corners.flatMap((_, i) => [2 * n, (i + 1) % n, i]);
  const high = corners.flatMap((_, i) => [2 * n + 1, n + i, n + ((i + 1) % n)]);
  const triangles = Uint32Array.from([...wall, ...low, ...high]);
  const sagitta = r * (1 - Math.cos(Math.PI / n));
  const allowed = facetAllowance({ positions, triangles }, Uint32Array.of(0, 2 * n, 3 * n, 4 * n), [sagitta, 0, 0]);
  // Source: area of a regular polygon of n sides, n r^2 sin(2 pi / n) / 2.
  const lostVolume = Math.PI * r * r * h - (n / 2) * r * r * Math.sin((2 * Math.PI) / n) * h;
  const lostArea = 2 * Math.PI * r * (r + h) - (2 * n * r * Math.sin(Math.PI / n) * h + n * r * r * Math.sin((2 * Math.PI) / n));
  expect(allowed.volume / lostVolume).toBeGreaterThan(1);
  expect(allowed.volume / lostVolume).toBeLessThan(1.6);
  expect(allowed.area / lostArea).toBeGreaterThan(1);
  expect(allowed.area / lostArea).toBeLessThan(8);
});

test('holes through exact solids by Euler and Poincaré: block 0, block with two bores 2, torus 1, ball 0', async () => {
  const { SolidBuilder } = await import('../src/kernel/build.ts');
  const { workingKernel } = await import('../src/kernel/load.ts');
  const b = new SolidBuilder(await workingKernel());
  const holes = (shape: Parameters<typeof b.brep>[0]) => throughHolesOf(readBrepText(b.brep(shape)), 1);
  const block = b.box([0, 0, 0], [60, 40, 10]);
  const bored = b.cut(block, b.cylinder([20, 20, -5], [0, 0, 1], 4, 20), b.cylinder([42, 20, -5], [0, 0, 1], 6, 20));
  expect(holes(block)).toBe(0);
  expect(holes(bored)).toBe(2);
  expect(holes(b.sphere([0, 0, 0], 12))).toBe(0);
  expect(holes(b.torus([0, 0, 0], [0, 0, 1], 20, 5))).toBe(1);
});

describe('one table of units', () => {
  // Source: DXF Reference, $INSUNITS.
  test.each([
    [1, 25.4],
    [2, 304.8],
    [3, 1_609_344],
    [4, 1],
    [5, 10],
    [6, 1000],
    [7, 1e6],
    [8, 25.4e-6],
    [9, 0.0254],
    [10, 914.4],
    [11, 1e-7],
    [12, 1e-6],
    [13, 0.001],
    [14, 100],
    [15, 1e4],
    [16, 1e5],
    [17, 1e12],
    [21, 304.800609601],
    [22, 25.400050800102],
    [24, 1_609_347.21869],
  ])('$INSUNITS %i is %f mm', (code, mm) => {
    const unit = unitOfInsUnits(code)!;
    expect(unit.mm / mm).toBeCloseTo(1, 9);
    expect(insUnitsOf(unit.id)).toBe(code);
    expect(mmPer(unit.id)).toBe(unit.mm);
  });
  test('0 and what nobody knows are no unit; every number from 1 to 24 is one', () => {
    expect([unitOfInsUnits(0), unitOfInsUnits(25), unitOfInsUnits(-1)]).toEqual([null, null, null]);
    expect(Array.from({ length: 24 }, (_, i) => unitOfInsUnits(i + 1)).every((u) => u !== null)).toBe(true);
    expect(new Set(unitTable.map((u) => u.id)).size).toBe(unitTable.length);
    expect(() => mmPer('furlong')).toThrow(RangeError);
  });
});
