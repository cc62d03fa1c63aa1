/** Every named threshold bites: one case just inside, one just outside. */
import { describe, expect, test } from 'vitest';
import { layOut } from '../src/beds/layout.ts';
import { checkDrawing, tinyLength } from '../src/curves/check.ts';
import { contourOf, emptyDrawing, type Drawing } from '../src/curves/drawing.ts';
import { meetingOf } from '../src/curves/meet.ts';
import type { ArcSegment, LineSegment, P2, Segment } from '../src/curves/segment.ts';
import { fitsLengthRule, stlEncoding } from '../src/formats/stl/read.ts';
import { edgesOf, manyEdge, openEdge } from '../src/geometry/edges.ts';
import { together } from '../src/geometry/shells.ts';
import { measureMesh, type Mesh } from '../src/geometry/mesh.ts';
import { receiverIn } from '../src/receivers/receivers.ts';
import { readyReceivers } from '../src/receivers/ready.ts';
import { leastBeads, thinWallFindings } from '../src/processes/thin.ts';
import { safeFileName } from '../src/recipe/recipe.ts';
import { dinCorrection, setbackOf, allowanceFor, type BendTable } from '../src/sheet/rules.ts';
import { shapeFindings } from '../src/mesh/soundness/gate.ts';
import { crumbShare, fullCheck, nearShare, needleShare } from '../src/mesh/soundness/full-check.ts';
import { beadsOf } from '../src/mesh/soundness/thickness.ts';
import { boxMesh } from './data.ts';
import { ballMesh, movedMesh } from './data.more.ts';

const line = (a: P2, b: P2): LineSegment => ({ kind: 'line', a, b });
const arc = (centre: P2, radius: number, start: number, sweep: number): ArcSegment => ({ kind: 'arc', centre, radius, start, sweep });
const drawn = (...contours: Segment[][]): Drawing => ({
  ...emptyDrawing(),
  layers: [{ name: '0', colour: null, lineType: 'CONTINUOUS', contours: contours.map((s) => contourOf(s, false)) }],
});

describe('where a line and an arc meet (tolerance 0.01 mm)', () => {
  const t = 0.01;
  const upper = arc([0, 0], 10, 0, Math.PI);
  const at = (y: number) => meetingOf(line([-20, y], [20, y]), upper, t);
  test.each([
    ['passing by within the tolerance: a touch', 10 + t * 0.99, 1, true],
    ['passing by just beyond it: nothing', 10 + t * 1.01, 0, undefined],
    ['going in by no more than the tolerance: a touch', 10 - t * 0.99, 1, true],
    ['going in by more: two places', 10 - t * 1.01, 2, false],
    ['through the middle: two', 5, 2, false],
  ])('%s', (_, y, places, tangent) => {
    const found = at(y as number);
    expect(found.places).toHaveLength((places as number) * 2);
    expect(found.tangent).toBe(tangent);
  });
  test('where the arc is not, there is no meeting; its ends have the tolerance as slack', () => {
    // A quarter from 0 to 90 degrees; the other crossing of the chord lies where it is not.
    const quarter = arc([0, 0], 10, 0, Math.PI / 2);
    expect(meetingOf(line([-20, 5], [20, 5]), quarter, t).places).toEqual([expect.closeTo(Math.sqrt(75), 9), 5]);
    expect(meetingOf(line([9, -t * 0.99], [11, -t * 0.99]), quarter, t).places).toHaveLength(2);
    expect(meetingOf(line([9, -t * 1.01], [11, -t * 1.01]), quarter, t).places).toHaveLength(0);
    // The same arc run the other way, and one that begins before a whole turn.
    expect(meetingOf(line([-20, 5], [20, 5]), arc([0, 0], 10, Math.PI / 2, -Math.PI / 2), t).places).toHaveLength(2);
    expect(meetingOf(line([-20, 5], [20, 5]), arc([0, 0], 10, 2 * Math.PI, Math.PI / 2), t).places).toHaveLength(2);
    expect(meetingOf(line([-20, 5], [20, 5]), arc([0, 0], 10, -4 * Math.PI, Math.PI / 2), t).places).toHaveLength(2);
  });
  test('the ends of the line have the slack too', () => {
    const end = (x: number) => meetingOf(line([0, 0], [x, 0]), arc([0, 0], 10, -1, 2), t).places.length;
    expect([end(10 - t * 0.99), end(10 - t * 1.01)]).toEqual([2, 0]);
  });
  test('two lines: parallel ones share what both cover; crossing ones have slack at their ends', () => {
    expect(meetingOf(line([0, 0], [10, 0]), line([4, t * 0.9], [14, t * 0.9]), t).shared).toBeCloseTo(6, 9);
    expect(meetingOf(line([0, 0], [10, 0]), line([4, t * 1.1], [14, t * 1.1]), t)).toMatchObject({ shared: 0, places: [] });
    // What they share has to be longer than the tolerance at both ends.
    expect(meetingOf(line([0, 0], [10, 0]), line([10 - 1.9 * t, 0], [20, 0]), t).shared).toBe(0);
    expect(meetingOf(line([0, 0], [10, 0]), line([10 - 2.1 * t, 0], [20, 0]), t).shared).toBeCloseTo(2.1 * t, 9);
    const cross = (y: number) => meetingOf(line([0, 0], [10, 0]), line([5, y], [5, 9]), t).places.length;
    expect([cross(t * 0.99), cross(t * 1.01)]).toEqual([2, 0]);
  });
  test('two arcs: outside and inside each other, touching within the tolerance', () => {
    const circle = (x: number, r: number) => arc([x, 0], r, 0, 2 * Math.PI);
    const meets = (x: number, r: number) => meetingOf(circle(0, 10), circle(x, r), t);
    expect(meets(15 + t * 0.99, 5)).toMatchObject({ tangent: true, places: [expect.anything(), expect.anything()] });
    expect(meets(15 + t * 1.01, 5).places).toEqual([]);
    expect(meets(5 - t * 0.99, 5)).toMatchObject({ tangent: true });
    expect(meets(5 - t * 1.01, 5).places).toEqual([]);
    expect(meets(8, 5).places).toHaveLength(4);
    expect(meetingOf(arc([0, 0], 10, 0, 1), arc([0, t * 0.5], 10, 0.5, 1), t).shared).toBeCloseTo(5, 1);
    expect(meetingOf(arc([0, 0], 10, 0, 1), arc([0, 0], 10 + t * 1.5, 0.5, 1), t).shared).toBe(0);
  });
});

describe('pieces of a drawing', () => {
  test('tiny just below its length, not just above', () => {
    const tiny = (l: number) => checkDrawing(drawn([line([0, 0], [l, 0]), line([l, 0], [l, 50])])).tiny.length;
    expect([tiny(tinyLength * 0.99), tiny(tinyLength * 1.01)]).toEqual([1, 0]);
  });
  test('nearly a turn: within 0.02 rad of a whole one, but not a whole one', () => {
    const nearly = (gap: number) => checkDrawing(drawn([arc([0, 0], 10, 0, 2 * Math.PI - gap)])).nearlyFull.length;
    expect([nearly(0.0199), nearly(0.0201), nearly(0)]).toEqual([1, 0, 0]);
  });
});

describe('edges of a mesh', () => {
  test('an edge with three triangles is one of many, whatever their order; two of them across, one open', () => {
    // Three wings on the edge 0-1.
    const wings = Uint32Array.of(0, 1, 2, 1, 0, 3, 0, 1, 4);
    const edges = edgesOf(wings, 5);
    expect(edges).toMatchObject({ nonManifold: 1, open: 6, flipped: 0 });
    expect([0, 3, 6].map((c) => edges.across[c])).toEqual([manyEdge, manyEdge, manyEdge]);
    const two = edgesOf(wings.slice(0, 6), 5);
    expect([two.across[0], two.across[3], two.across[1]]).toEqual([3, 0, openEdge]);
    expect(edgesOf(Uint32Array.of(0, 1, 2, 0, 1, 3), 4)).toMatchObject({ flipped: 1 });
  });
  test('a fan of few and of many triangles (sorted above 24) gives the same: every spoke has two, the rim is open', () => {
    for (const n of [23, 24, 25, 26, 200]) {
      const t = Uint32Array.from(Array.from({ length: n }, (_, i) => [0, 1 + i, 1 + ((i + 1) % n)]).flat());
      expect([n, edgesOf(t, n + 1)]).toEqual([n, expect.objectContaining({ open: n, nonManifold: 0, flipped: 0 })]);
      // One wing more on the first spoke.
      const more = Uint32Array.from([...t, 0, 1, n + 1]);
      expect(edgesOf(more, n + 2)).toMatchObject({ nonManifold: 1, open: n + 2 });
    }
  });
});

describe('soundness', () => {
  test('needles, near vertices and crumbs', () => {
    const needle = (h: number) => fullCheck({ positions: Float64Array.of(0, 0, 0, 1, 0, 0, 0.5, h, 0), triangles: Uint32Array.of(0, 1, 2) })!.needles;
    expect([needle(needleShare * 0.99), needle(needleShare * 1.01)]).toEqual([1, 0]);
    const near = (share: number) => {
      const box = boxMesh(10, 10, 10);
      const d = Math.hypot(10, 10, 10) * share;
      const positions = Float64Array.from([...box.positions, box.positions[0] + d, box.positions[1], box.positions[2]]);
      const triangles = box.triangles.slice();
      triangles[triangles.indexOf(0)] = 8;
      return fullCheck({ positions, triangles })!.nearVertices;
    };
    expect([near(nearShare * 0.98), near(nearShare * 1.02)]).toEqual([1, 0]);
    const crumb = (size: number): string => fullCheck(together([boxMesh(10, 10, 10), movedMesh(boxMesh(size, size, size), [-size, 0, 0])]))!.roles[1].role;
    // The crumb stands beside the box, so that it makes the whole a little longer.
    const share = (size: number) => (size * Math.sqrt(3)) / Math.hypot(10 + size, 10, 10);
    const [small, large] = [0.2, 0.206];
    expect(share(small)).toBeLessThan(crumbShare);
    expect(share(large)).toBeGreaterThan(crumbShare);
    expect([crumb(small), crumb(large)]).toEqual(['crumb', 'outer']);
  });
  test('beads: a twentieth of one short still counts', () => {
    expect([beadsOf(0.4 * 0.951, 0.4), beadsOf(0.4 * 0.949, 0.4), beadsOf(0.8, 0.4), beadsOf(0.8 * 0.97, 0.4)]).toEqual([1, 0, 2, 1]);
  });
  test('the gate: sound parts say nothing; overlapping bodies stop alone and are told among several', () => {
    expect(shapeFindings(ballMesh(10, 24, 16))).toEqual([]);
    const two = together([boxMesh(10, 10, 10), movedMesh(boxMesh(10, 10, 10), [5.1, 5.2, 5.3])]);
    expect(shapeFindings(two)).toMatchObject([{ code: 'shells-overlap', severity: 'stop' }]);
    expect(shapeFindings(two, { several: true })).toMatchObject([{ code: 'shells-overlap', severity: 'look' }]);
    const apart = (gap: number) => together([boxMesh(10, 10, 10), movedMesh(boxMesh(10, 10, 10), [10 + gap, 0.5, 0.5])]);
    expect(shapeFindings(apart(1e-6))).toEqual([]);
    expect(shapeFindings(apart(-1e-6))).toHaveLength(1);
    expect(shapeFindings(together([boxMesh(10, 10, 10), movedMesh(boxMesh(4, 4, 4), [3, 3, 3])]))).toMatchObject([{ code: 'wall-in-solid', severity: 'look' }]);
    expect(shapeFindings(together([boxMesh(10, 10, 10), movedMesh(boxMesh(4, 4, 4), [3, 3, 3], true)]))).toEqual([]);
  });
});

describe('bends by the book', () => {
  test('DIN 6935: 0.65 + 0.5 log10(R / T), never below 0, 1 beyond R / T = 5 (values worked by hand)', () => {
    expect(dinCorrection(3, 2)).toBeCloseTo(0.65 + 0.5 * Math.log10(1.5), 12);
    expect(dinCorrection(3, 2)).toBeCloseTo(0.738, 3);
    expect(dinCorrection(10, 2)).toBeCloseTo(0.99949, 5);
    expect(dinCorrection(10.001, 2)).toBe(1);
    // 10 ** -1.3 = 0.0501: there it comes to nothing.
    expect(dinCorrection(0.0502 * 2, 2)).toBeGreaterThan(0);
    expect(dinCorrection(0.05 * 2, 2)).toBe(0);
    expect(dinCorrection(0, 2)).toBe(0);
  });
  test('the setback is tan(A / 2) (R + T) up to 90 degrees and R + T beyond', () => {
    expect(setbackOf(60, 3, 2)).toBeCloseTo(Math.tan(Math.PI / 6) * 5, 12);
    expect(setbackOf(90, 3, 2)).toBeCloseTo(5, 12);
    expect(setbackOf(89.9, 3, 2)).toBeLessThan(5);
    expect(setbackOf(90.1, 3, 2)).toBe(5);
    expect(setbackOf(170, 3, 2)).toBe(5);
  });
  test('a table made for another thickness is doubted beyond 3 %; for another radius beyond its ends', () => {
    const table: BendTable = { name: 'shop', material: '', thickness: 2, gives: 'k', rows: [{ radius: 2, angle: 90, value: 0.4 }, { radius: 4, angle: 90, value: 0.44 }] }; // prettier-ignore
    const doubt = (r: number, t: number) => allowanceFor({ kind: 'table', table }, 90, r, t).doubt;
    expect(doubt(3, 2.059)).toBeNull();
    expect(doubt(3, 2.07)).toMatch(/made for 2 mm/);
    expect([doubt(2, 2), doubt(4, 2)]).toEqual([null, null]);
    expect(doubt(1.99, 2)).toMatch(/no inside radius/);
    expect(doubt(4.01, 2)).toMatch(/no inside radius/);
    expect(allowanceFor({ kind: 'table', table }, 90, 3, 2).length).toBeCloseTo((Math.PI / 2) * (3 + 0.42 * 2), 12);
  });
});

describe('beds, files and names', () => {
  test('two parts fit beside each other with the spacing between them, and not a hair more', () => {
    const item = (w: number) => ({ id: 'a', name: 'a', outline: [[0, 0], [w, 0], [w, 90], [0, 90]] as [number, number][], height: 10, copies: 2 }); // prettier-ignore
    const bed = { width: 100, length: 95, height: 50, spacing: 10, margin: 0 };
    expect(layOut([item(45)], bed)).toMatchObject({ beds: 1 });
    expect(layOut([item(45.01)], bed)).toMatchObject({ beds: 2 });
    expect(layOut([{ ...item(45), height: 50.01 }], bed).misfits).toMatchObject([{ along: 'height' }]);
    expect(layOut([{ ...item(45), height: 50 }], bed).misfits).toEqual([]);
    expect(layOut([item(45)], { ...bed, margin: 2.6 })).toMatchObject({ beds: 2 });
  });
  test('a quarter turn is taken when only it fits', () => {
    const long = { id: 'a', name: 'a', outline: [[0, 0], [90, 0], [90, 20], [0, 20]] as [number, number][], height: 10, copies: 1 }; // prettier-ignore
    const { laid, misfits } = layOut([long], { width: 30, length: 100, height: 50, spacing: 0, margin: 0 });
    expect(misfits).toEqual([]);
    expect(Math.abs(laid[0].turn) % 180).toBeCloseTo(90, 9);
  });
  test('the length rule of binary STL: to the byte', () => {
    const file = (extra: number) => {
      const bytes = Buffer.alloc(84 + 50 * 3 + extra);
      bytes.write('solid of words');
      bytes.writeUInt32LE(3, 80);
      return bytes;
    };
    expect([fitsLengthRule(file(0)), fitsLengthRule(file(1)), fitsLengthRule(file(-1))]).toEqual([true, false, false]);
    expect(fitsLengthRule(Buffer.alloc(83))).toBe(false);
    expect(fitsLengthRule(Buffer.alloc(84))).toBe(true);
    expect(stlEncoding(file(0))).toBe('binary');
  });
  test('names: 120 characters, none that a system keeps for itself, none that end in a dot', () => {
    expect(safeFileName('a'.repeat(120))).toHaveLength(120);
    expect(safeFileName('a'.repeat(121))).toHaveLength(120);
    expect([safeFileName('con'), safeFileName('CON'), safeFileName('com1'), safeFileName('console'), safeFileName('com10')]).toEqual(['part_con', 'part_CON', 'part_com1', 'console', 'com10']); // prettier-ignore
    expect([safeFileName('..'), safeFileName('a.'), safeFileName('.a'), safeFileName('a/b\\c:d')]).toEqual(['part_', 'a', 'a', 'a_b_c_d']);
  });
});

describe('walls that a printer leaves out', () => {
  const lark = receiverIn(readyReceivers, 'lark');
  /** A block with a wall of its own on top. */
  const withWall = (thick: number, long: number) => together([boxMesh(40, 40, 20), movedMesh(boxMesh(thick, long, 5), [5, 5, 20])]);
  const found = (mesh: Mesh, receiver = lark) => thinWallFindings(mesh, measureMesh(mesh).area, receiver).map((f) => `${f.severity} ${f.code}`);
  test('thinner than the bead, just inside and outside; only machines that lay beads ask', () => {
    expect(found(withWall(0.401, 10))).toEqual([]);
    expect(found(withWall(0.399, 10))).toEqual(['look thin-walls']);
    expect(found(withWall(0.399, 10), { ...lark, bead: 0 })).toEqual([]);
    expect(found(withWall(0.399, 10), receiverIn(readyReceivers, 'swift'))).toEqual([]);
  });
  test('crumbs are no walls: an area of four beads squared, on both sides of the wall', () => {
    const least = leastBeads * lark.bead ** 2;
    // A fin of 0.2 mm, half a mm high: a mm2 of thin wall for each mm of its length.
    const fin = (long: number) => together([boxMesh(40, 40, 20), movedMesh(boxMesh(0.2, long, 0.5), [5, 5, 20])]);
    expect(found(fin(least * 1.02))).toEqual(['look thin-walls']);
    expect(found(fin(least * 0.98))).toEqual([]);
  });
  test('where more than half of the surface is too thin nothing would be made: a stop', () => {
    const plate = (thick: number) => boxMesh(50, 50, thick);
    expect(found(plate(0.3))).toEqual(['stop thin-walls']);
    expect(found(plate(0.5))).toEqual([]);
    // A block of 40 x 40 x 20 has 6400 mm2; sheets of both sides as large as that and a little less or more.
    const both = (side: number) => together([boxMesh(40, 40, 20), movedMesh(boxMesh(side, side, 0.3), [0, 0, 30])]);
    expect(found(both(55))).toEqual(['look thin-walls']);
    expect(found(both(58))).toEqual(['stop thin-walls']);
  });
});
