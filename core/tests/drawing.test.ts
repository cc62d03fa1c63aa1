import { describe, expect, test } from 'vitest';
import { chained, gapsOf } from '../src/curves/chain.ts';
import { checkDrawing } from '../src/curves/check.ts';
import { areaOfContour, boxOfContour, contourOf, lengthOfContour, transformedDrawing } from '../src/curves/drawing.ts';
import { drawingDistance } from '../src/curves/compare.ts';
import { fitContour, simplifyContour, smoothContour } from '../src/curves/fit.ts';
import { flattened } from '../src/curves/flatten.ts';
import { mendDrawing, nothingToMend, safeMend } from '../src/curves/mend.ts';
import { nest, netArea } from '../src/curves/nest.ts';
import { editNode } from '../src/drawing/nodes.ts';
import { recognised } from '../src/curves/recognise.ts';
import { asBeziers } from '../src/curves/spline.ts';
import { circle, ellipseFrom, endOf, fromBulge, pointAt, reversed, startOf, type P2, type Segment, type SplineSegment } from '../src/curves/segment.ts';
import { areaUnder, lengthOf } from '../src/curves/measure.ts';
import { transformed } from '../src/curves/affine.ts';
import { dataFile } from './data.ts';
import { countryRings, drawingOf, lines, ring, round, shoelace } from './drawing.data.ts';

/** A quarter circle of radius 1 as a rational quadratic. Source: Piegl and Tiller, The NURBS Book, 7.3. */
const quarter: SplineSegment = { kind: 'spline', degree: 2, knots: [0, 0, 0, 1, 1, 1], points: [[1, 0], [1, 1], [0, 1]], weights: [1, Math.SQRT1_2, 1] }; // prettier-ignore
const cubic: Segment = { kind: 'bezier', points: [[0, 0], [10, 30], [40, -20], [50, 10]] }; // prettier-ignore
const spline: SplineSegment = { kind: 'spline', degree: 3, knots: [0, 0, 0, 0, 1, 2.5, 3, 3, 3, 3], points: [[0, 0], [5, 9], [12, -4], [18, 7], [25, 2], [30, 0]], weights: null }; // prettier-ignore

describe('segments', () => {
  test('bulge: tan(sweep / 4), positive counter-clockwise; 1 is a half circle (DXF Reference, LWPOLYLINE)', () => {
    const half = fromBulge([0, 0], [10, 0], 1);
    expect(half).toMatchObject({ kind: 'arc', radius: 5 });
    // Counter-clockwise from (0, 0) to (10, 0): the arc passes below the chord.
    expect(pointAt(half, 0.5)[1]).toBeCloseTo(-5, 12);
    expect(lengthOf(half)).toBeCloseTo(5 * Math.PI, 12);
    const quarterTurn = fromBulge([10, 0], [0, 10], Math.tan(Math.PI / 8));
    expect(quarterTurn.kind === 'arc' && quarterTurn.centre.map((v) => Math.round(v * 1e9))).toEqual([0, 0]);
    expect(fromBulge([0, 0], [1, 1], 0).kind).toBe('line');
  });
  test('a 6 inch circle is 478.78 mm long', () => {
    expect(lengthOf(circle([0, 0], 76.2))).toBeCloseTo(478.779, 3);
  });
  test('ellipse: area pi a b; perimeter 9.688448 for half axes 2 and 1 (complete elliptic integral, Abramowitz and Stegun 17.3)', () => {
    const e = ellipseFrom(
      [3, 4],
      [
        [2, 0],
        [0, 1],
      ],
      0,
      2 * Math.PI,
    );
    expect(areaUnder(e) - 0).toBeCloseTo(2 * Math.PI, 10);
    expect(lengthOf(e)).toBeCloseTo(9.688448220547675, 9);
  });
  test('an ellipse from conjugate half diameters has the same points', () => {
    const [p, q]: P2[] = [[3, 1], [-1, 2]]; // prettier-ignore
    const e = ellipseFrom([5, 6], [p, q], 0.3, 1.9);
    const at = (t: number): P2 => [5 + p[0] * Math.cos(t) + q[0] * Math.sin(t), 6 + p[1] * Math.cos(t) + q[1] * Math.sin(t)];
    for (const [t, share] of [
      [0.3, 0],
      [2.2, 1],
      [0.3 + 0.95, 0.5],
    ]) {
      // prettier-ignore
      expect(pointAt(e, share)[0]).toBeCloseTo(at(t)[0], 12);
      expect(pointAt(e, share)[1]).toBeCloseTo(at(t)[1], 12);
    }
  });
  test('a rational quarter circle has radius 1 everywhere, area pi / 4 with its legs, and is recognised as an arc', () => {
    for (const t of [0, 0.2, 0.5, 0.9, 1]) expect(Math.hypot(...pointAt(quarter, t))).toBeCloseTo(1, 12);
    const sector = contourOf([quarter, { kind: 'line', a: [0, 1], b: [0, 0] }, { kind: 'line', a: [0, 0], b: [1, 0] }], true);
    expect(areaOfContour(sector)).toBeCloseTo(Math.PI / 4, 12);
    expect(lengthOf(quarter)).toBeCloseTo(Math.PI / 2, 10);
    expect(recognised(quarter)).toMatchObject({ kind: 'arc' });
    expect(recognised(cubic)).toBe(cubic);
  });
  test('splines of degree 3 become Béziers with the same points; length and area agree with fine chords', () => {
    const { segments, measured } = asBeziers(spline, 1e-3);
    expect(measured).toBe(0);
    expect(segments).toHaveLength(3);
    const cuts = [0, 1 / 3, 2.5 / 3, 1];
    segments.forEach((b, i) => {
      for (const t of [0, 0.37, 1]) {
        const p = pointAt(b, t);
        const q = pointAt(spline, cuts[i] + (cuts[i + 1] - cuts[i]) * t);
        expect(Math.hypot(p[0] - q[0], p[1] - q[1])).toBeLessThan(1e-10);
      }
    });
    const chords = flattened([spline], 1e-7);
    expect(lengthOf(spline)).toBeCloseTo(
      chords.slice(1).reduce((n, p, i) => n + Math.hypot(p[0] - chords[i][0], p[1] - chords[i][1]), 0),
      5,
    );
    expect(Math.abs(areaUnder(spline))).toBeCloseTo(shoelace(chords), 4);
  });
  test.each([
    ['cubic', cubic],
    ['spline', spline],
    ['rational', quarter],
    [
      'ellipse',
      ellipseFrom(
        [0, 0],
        [
          [5, 1],
          [-0.4, 2],
        ],
        1,
        -3,
      ),
    ],
  ] as [string, Segment][])('flattening keeps its deviation, and turning round keeps the points: %s', (_, s) => {
    // prettier-ignore
    const points = flattened([s], 0.01);
    let far = 0;
    for (let i = 0; i <= 2000; i++) {
      const p = pointAt(s, i / 2000);
      let near = Infinity;
      for (let k = 1; k < points.length; k++) near = Math.min(near, toChord(p, points[k - 1], points[k]));
      far = Math.max(far, near);
    }
    expect(far).toBeLessThan(0.0101);
    const back = reversed(s);
    for (const t of [0, 0.3, 1]) expect(Math.hypot(pointAt(back, t)[0] - pointAt(s, 1 - t)[0], pointAt(back, t)[1] - pointAt(s, 1 - t)[1])).toBeLessThan(1e-9);
    expect(areaUnder(back)).toBeCloseTo(-areaUnder(s), 9);
  });
  test('boxes hold bulges: an arc over the top, a cubic beyond its ends', () => {
    const over = contourOf([fromBulge([10, 0], [0, 0], 1)], false);
    boxOfContour(over).forEach((v, i) => expect(v).toBeCloseTo([0, 0, 10, 5][i], 9));
    const box = boxOfContour(contourOf([cubic], false));
    const dense = Array.from({ length: 5001 }, (_, i) => pointAt(cubic, i / 5000)[1]);
    expect(box[3]).toBeCloseTo(Math.max(...dense), 5);
    expect(box[1]).toBeCloseTo(Math.min(...dense), 5);
  });
  test('a stretched circle becomes an ellipse, a turned and mirrored one stays a circle', () => {
    expect(transformed(circle([1, 2], 3), [2, 0, 0, 1, 0, 0])).toMatchObject({ kind: 'ellipse', ratio: 0.5 });
    const turned = transformed({ kind: 'arc', centre: [1, 0], radius: 2, start: 0.2, sweep: 1 }, [0, 3, 3, 0, 5, 5]);
    expect(turned).toMatchObject({ kind: 'arc', radius: 6 });
    const [a, b] = [startOf(turned), endOf(turned)];
    const map = ([x, y]: P2): P2 => [3 * y + 5, 3 * x + 5];
    const [p, q] = [0.2, 1.2].map((t) => map([1 + 2 * Math.cos(t), 2 * Math.sin(t)]));
    expect(Math.hypot(a[0] - p[0], a[1] - p[1]) + Math.hypot(b[0] - q[0], b[1] - q[1])).toBeLessThan(1e-9);
  });
});

function toChord(p: P2, a: P2, b: P2): number {
  const [dx, dy] = [b[0] - a[0], b[1] - a[1]];
  const k = Math.max(0, Math.min(1, ((p[0] - a[0]) * dx + (p[1] - a[1]) * dy) / (dx * dx + dy * dy || 1)));
  return Math.hypot(p[0] - a[0] - dx * k, p[1] - a[1] - dy * k);
}

describe('nesting', () => {
  test('countries: every ring has the area of the shoelace formula; the hole of South Africa lies in it', () => {
    const rings = countryRings(dataFile('countries-110m.json').toString());
    expect(rings.length).toBeGreaterThan(280);
    const drawing = drawingOf(...rings.map((r) => lines(r)));
    drawing.layers[0].contours.forEach((c, i) => expect(Math.abs(areaOfContour(c))).toBeCloseTo(shoelace(rings[i]), 9));
    const nested = nest(drawing);
    // The hole and Lesotho are the same ring in this data: both lie inside South Africa, one of them on the other.
    const inner = nested.filter((n) => n.depth > 0);
    expect(inner.length).toBeGreaterThanOrEqual(1);
    for (const n of inner) expect(nested[n.around].area).toBeGreaterThanOrEqual(n.area);
  });
  test('outer, hole, island: area is outer less hole plus island', () => {
    const nested = nest(drawingOf(round(0, 0, 2), round(0, 0, 100), round(0, 0, 40), round(30, 0, 10)));
    const depths = Object.fromEntries(nested.map((n) => [n.contour, n.depth]));
    expect(depths).toEqual({ 0: 2, 1: 0, 2: 1, 3: 1 });
    expect(netArea(nested)).toBeCloseTo(Math.PI * (2500 - 400 - 25 + 1), 6);
  });
});

describe('soundness of drawings', () => {
  const untidy = () =>
    drawingOf(
      lines([[0, 0], [100, 0]], false), // prettier-ignore
      lines([[100.02, 0], [100, 50]], false), // prettier-ignore
      lines([[100, 50], [0, 50]], false), // prettier-ignore
      lines([[0, 50], [0, 0.3]], false), // prettier-ignore
    );
  test('gaps are the distances between nearest loose ends, smallest first', () => {
    expect(gapsOf(chained(untidy(), 1e-6).drawing).map((g) => Number(g.distance.toFixed(6)))).toEqual([0.02, 0.3]);
  });
  test('joining up to a tolerance closes what is within it and leaves the rest', () => {
    const some = mendDrawing(untidy(), { ...nothingToMend, joinGaps: 0.05 });
    expect(some.report.after).toMatchObject({ contours: 1, open: 1 });
    const all = mendDrawing(untidy(), { ...nothingToMend, joinGaps: 0.5 });
    expect(all.report.after).toMatchObject({ contours: 1, open: 0, gaps: [] });
    // The right edge leans by 0.02 mm over 50 mm.
    expect(all.report.after.area).toBeCloseTo(5000.5, 6);
    expect(all.report.moved).toBeLessThanOrEqual(0.15 + 1e-9);
  });
  test('crossings, touches and what only meets at ends are told apart', () => {
    const cross = lines([[0, 0], [10, 10]], false); // prettier-ignore
    const over = lines([[0, 10], [10, 0]], false); // prettier-ignore
    const touching = lines([[5, 0], [5, 5]], false); // prettier-ignore
    const found = checkDrawing(drawingOf(cross, over));
    expect(found.crossings.map((c) => c.at.map((v) => Number(v.toFixed(9))))).toEqual([[5, 5]]);
    expect(checkDrawing(drawingOf(cross, touching)).touches).toHaveLength(1);
    expect(checkDrawing(drawingOf(lines([[0, 0], [5, 5], [9, 1]], false))).crossings).toHaveLength(0); // prettier-ignore
    // A line through a circle crosses twice; the exact places lie on both.
    const through = checkDrawing(drawingOf(round(0, 0, 10), lines([[-9, 3], [9, 3]], false))); // prettier-ignore
    expect(through.crossings).toHaveLength(2);
    for (const c of through.crossings) expect(Math.hypot(...c.at)).toBeCloseTo(5, 9);
    // Curves too: a cubic crosses the line through its ends.
    expect(checkDrawing(drawingOf(contourOf([cubic], false), lines([[-5, 3], [60, 3]], false))).crossings.length).toBe(3); // prettier-ignore
  });
  test('doubles and overlaps, whole and in part, on lines and arcs', () => {
    const arc = (start: number, sweep: number) => contourOf([{ kind: 'arc', centre: [0, 0], radius: 10, start, sweep }], false);
    const found = checkDrawing(drawingOf(lines([[0, 20], [30, 20]], false), lines([[30, 20], [0, 20]], false), arc(0, 1), arc(0.5, 1), arc(0.2, 0.3))); // prettier-ignore
    expect(found.doubles.map((d) => Number(d.size.toFixed(6))).sort((a, b) => a - b)).toEqual([3, 30]);
    expect(found.overlaps.map((d) => Number(d.size.toFixed(6)))).toEqual([5]);
  });
  test('doubles are dropped: what is cut is cut once, and an edge that two parts share stays', () => {
    const arc = (start: number, sweep: number) => contourOf([{ kind: 'arc', centre: [0, 0], radius: 10, start, sweep }], false);
    const part = mendDrawing(drawingOf(arc(0, 1), arc(0.5, 1), lines([[0, 20], [30, 20]], false), lines([[10, 20], [50, 20]], false)), { ...nothingToMend, dropDoubles: true }); // prettier-ignore
    expect(part.report.after.length).toBeCloseTo(15 + 50, 6);
    expect(part.report.after).toMatchObject({ doubles: [], overlaps: [] });
    const square = (x: number) => lines([[x, 0], [x + 10, 0], [x + 10, 10], [x, 10]]); // prettier-ignore
    const twice = mendDrawing(drawingOf(square(0), square(0), square(10)), { ...nothingToMend, dropDoubles: true });
    expect(twice.report.after).toMatchObject({ contours: 2, open: 0 });
    expect(twice.report.steps.join(' ')).toMatch(/shared by two closed contours and was kept/);
  });
  test('tiny and zero pieces, nearly full circles, splintered arcs, stray points are found and mended', () => {
    const d = drawingOf(
      contourOf([{ kind: 'arc', centre: [50, 0], radius: 4, start: 0, sweep: 2 * Math.PI - 0.001 }], false),
      lines(ring([0, 0], 20, 90)),
      lines([[80, 0], [80.004, 0], [90, 0], [90, 0]], false), // prettier-ignore
    );
    d.points.push({ layer: 'L', at: [3, 3] });
    const found = checkDrawing(d);
    expect(found).toMatchObject({ nearlyFull: [{}], splinters: [{}], points: 1 });
    expect(found.zero.length + found.tiny.length).toBe(2);
    const done = mendDrawing(d, { ...safeMend, dropTiny: 0.01, fitArcs: 0.02 });
    expect(done.report.after).toMatchObject({ nearlyFull: [], splinters: [], zero: [], tiny: [], points: 0 });
    expect(done.report.after.segments).toMatchObject({ arc: 2 });
  });
  test('what is sound is not touched', () => {
    const sound = drawingOf(lines([[0, 0], [100, 0], [100, 60], [0, 60]]), { ...round(50, 30, 20), segments: [{ ...circle([50, 30], 10), sweep: -2 * Math.PI }] }); // prettier-ignore
    const { drawing, report } = mendDrawing(sound, safeMend);
    expect(report.steps).toEqual([]);
    expect(report.moved).toBe(0);
    expect(drawing.layers[0].contours.map((c) => c.segments)).toEqual(sound.layers[0].contours.map((c) => c.segments));
  });
});

describe('fitting', () => {
  test('10,000 points of a circle give one circle, in either sense', () => {
    for (const points of [ring([50, 30], 20, 10_000), ring([50, 30], 20, 10_000).reverse()]) {
      const { result, measured } = fitContour(lines(points), 0.01);
      expect(result.segments).toHaveLength(1);
      expect(result.segments[0]).toMatchObject({ kind: 'arc' });
      expect((result.segments[0] as { radius: number }).radius).toBeCloseTo(20, 6);
      expect(measured).toBeLessThan(1e-5);
      expect(Math.sign(areaOfContour(result))).toBe(Math.sign(areaOfContour(lines(points))));
    }
  });
  test('a polygon that means its corners is no circle', () => {
    // However many pieces come of it: as many as overflow a call's arguments.
    const zigzag = lines(
      Array.from({ length: 300_000 }, (_, i): P2 => [i, (i % 2) * 5]),
      false,
    );
    expect(fitContour({ ...zigzag, segments: [...zigzag.segments, { kind: 'arc', centre: [0, 0], radius: 1, start: 0, sweep: 1 }] }, 1e-3).result.segments.length).toBeGreaterThan(299_999); // prettier-ignore
    for (const n of [4, 6, 12]) expect(fitContour(lines(ring([0, 0], 45, n)), 0.05).result.segments.every((s) => s.kind === 'line')).toBe(true);
  });
  test('a rounded rectangle of splinters gives 4 lines and 4 arcs with their radius', () => {
    const corner = (cx: number, cy: number, from: number): P2[] =>
      Array.from({ length: 25 }, (_, i): P2 => [cx + 8 * Math.cos(from + (i * Math.PI) / 48), cy + 8 * Math.sin(from + (i * Math.PI) / 48)]);
    const source = lines([...corner(92, 8, -Math.PI / 2), ...corner(92, 52, 0), ...corner(8, 52, Math.PI / 2), ...corner(8, 8, Math.PI)]);
    const { result } = fitContour(source, 0.02);
    expect(result.segments.map((s) => s.kind).sort()).toEqual(['arc', 'arc', 'arc', 'arc', 'line', 'line', 'line', 'line']);
    for (const s of result.segments) if (s.kind === 'arc') expect(s.radius).toBeCloseTo(8, 6);
    expect(areaOfContour(result)).toBeCloseTo(100 * 60 - (4 - Math.PI) * 64, 1);
  });
  test.each([0.1, 0.01, 0.001])('the measured deviation is the true one: held against dense probes of both (%s mm)', (deviation) => {
    const source = contourOf([cubic, spline2()], false);
    const { result, measured } = fitContour(source, deviation);
    expect(measured).toBeLessThanOrEqual(deviation);
    expect(drawingDistance(drawingOf(source), drawingOf(result), deviation / 100)).toBeLessThanOrEqual(deviation * 1.02);
    expect(result.segments.every((s) => s.kind === 'line' || s.kind === 'arc')).toBe(true);
  });
  test('simplifying keeps its deviation with fewer lines; smoothing passes through every corner', () => {
    const wave = lines(
      Array.from({ length: 400 }, (_, i): P2 => [i / 4, 3 * Math.sin(i / 40)]),
      false,
    );
    const simple = simplifyContour(wave, 0.05);
    expect(simple.after).toBeLessThan(40);
    expect(drawingDistance(drawingOf(wave), drawingOf(simple.result))).toBeLessThanOrEqual(0.0501);
    const smooth = smoothContour(simple.result);
    simple.result.segments.forEach((s, i) => expect(startOf(smooth.result.segments[i])).toEqual(startOf(s)));
    for (let i = 1; i < smooth.after; i++) {
      const [a, b] = [smooth.result.segments[i - 1], smooth.result.segments[i]] as { points: P2[] }[];
      const u = [a.points[3][0] - a.points[2][0], a.points[3][1] - a.points[2][1]];
      const v = [b.points[1][0] - b.points[0][0], b.points[1][1] - b.points[0][1]];
      expect(Math.abs(Math.atan2(u[0] * v[1] - u[1] * v[0], u[0] * v[0] + u[1] * v[1]))).toBeLessThan(1e-6);
    }
  });
});

const spline2 = (): Segment => transformed(spline, [1, 0, 0, 1, 50, 10]);

describe('nodes', () => {
  const square = () => drawingOf(lines([[0, 0], [10, 0], [10, 10], [0, 10]])); // prettier-ignore
  const contour = (d: ReturnType<typeof square>) => d.layers[0].contours[0];
  test('moved, added, deleted', () => {
    const moved = editNode(square(), { action: 'move', layer: 0, contour: 0, node: 2, to: [12, 14] });
    expect(areaOfContour(contour(moved))).toBeCloseTo(shoelace([[0, 0], [10, 0], [12, 14], [0, 10]]), 9); // prettier-ignore
    const added = editNode(square(), { action: 'add', layer: 0, contour: 0, segment: 1, share: 0.25 });
    expect(contour(added).segments).toHaveLength(5);
    expect(startOf(contour(added).segments[2])).toEqual([10, 2.5]);
    expect(areaOfContour(contour(added))).toBe(100);
    for (const node of [0, 2]) expect(areaOfContour(contour(editNode(square(), { action: 'delete', layer: 0, contour: 0, node })))).toBe(50);
    expect(editNode(square(), { action: 'remove', layer: 0, contour: 0 }).layers[0].contours).toHaveLength(0);
  });
  test('smooth makes one direction on both sides, sharp takes it away; only the neighbours change', () => {
    const smooth = contour(editNode(square(), { action: 'smooth', layer: 0, contour: 0, node: 1 }));
    expect(smooth.segments.map((s) => s.kind)).toEqual(['bezier', 'bezier', 'line', 'line']);
    const [a, b] = smooth.segments as { points: P2[] }[];
    expect(Math.atan2(a.points[3][1] - a.points[2][1], a.points[3][0] - a.points[2][0])).toBeCloseTo(
      Math.atan2(b.points[1][1] - b.points[0][1], b.points[1][0] - b.points[0][0]),
      9,
    );
    const sharp = contour(editNode(drawingOf(smooth), { action: 'sharp', layer: 0, contour: 0, node: 1 }));
    expect(areaOfContour(sharp)).toBeCloseTo(100, 9);
  });
  test('what can not be done says why', () => {
    expect(() => editNode(drawingOf(round(0, 0, 5)), { action: 'move', layer: 0, contour: 0, node: 0, to: [1, 1] })).toThrow(/no such node/);
    expect(() => editNode(square(), { action: 'move', layer: 0, contour: 7, node: 0, to: [1, 1] })).toThrow(/not in the drawing/);
    expect(() => editNode(drawingOf(lines([[0, 0], [1, 0]], false)), { action: 'delete', layer: 0, contour: 0, node: 0 })).toThrow(/vanish/); // prettier-ignore
  });
  test('maps keep lengths: turning and mirroring a drawing', () => {
    const d = drawingOf(contourOf([cubic, { kind: 'line', a: [50, 10], b: [60, 0] }], false), round(3, 4, 5));
    const turned = transformedDrawing(d, [0.6, 0.8, 0.8, -0.6, 3, 1]);
    d.layers[0].contours.forEach((c, i) => expect(lengthOfContour(turned.layers[0].contours[i])).toBeCloseTo(lengthOfContour(c), 9));
  });
});
