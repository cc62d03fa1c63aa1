/** What picks on a part measure, against closed forms: of solids by their exact surfaces, of meshes by surfaces fitted to their triangles. */
import fc from 'fast-check';
import { beforeAll, describe, expect, test } from 'vitest';
import { buildBvh } from '../src/geometry/bvh/build.ts';
import { nearestOnMesh, nowhere } from '../src/geometry/bvh/nearest.ts';
import type { Mesh } from '../src/geometry/mesh.ts';
import { sub, unit, type Vec3 } from '../src/geometry/vector.ts';
import { SolidBuilder, type Solid } from '../src/kernel/build.ts';
import { workingKernel } from '../src/kernel/load.ts';
import { readBrepText } from '../src/surfaces/brep-text.ts';
import { between, parallelWithin, samePlaneWithin } from '../src/view/between.ts';
import { edgeShare, onwardTurn } from '../src/view/edge-chains.ts';
import { Measure, type Drawn, type Place } from '../src/view/measure.ts';
import type { Measured, Shape } from '../src/view/shape.ts';
import { fitShare, leastDirections } from '../src/view/mesh-face.ts';
import { meshView, unpackView, viewOf } from '../src/view/view.ts';
import { mesh, sphere } from './patch.data.ts';
import { code } from './thrown.ts';

let build: SolidBuilder;
beforeAll(async () => {
  build = new SolidBuilder(await workingKernel());
});

async function drawn(solid: Solid): Promise<Drawn> {
  const brep = build.brep(solid);
  return { ...unpackView((await viewOf({ kind: 'solid', brep }, workingKernel)).slice().buffer), exact: readBrepText(brep) };
}
const drawnMesh = (m: Mesh): Drawn => ({ ...meshView(m), exact: null });

/** A pick of the face nearest to a place. */
function face(part: Drawn, place: Vec3): Measured {
  const near = nearestOnMesh(buildBvh({ positions: Float64Array.from(part.positions), triangles: part.triangles }), place, nowhere());
  return new Measure(part).pick({ point: [near.x, near.y, near.z], triangle: near.triangle, vertex: false, edge: null });
} // prettier-ignore

/** A pick of the edge with a piece whose middle is nearest to a place. */
function edge(part: Drawn, place: Vec3): Measured {
  let best: { piece: [Vec3, Vec3]; off: number } | null = null;
  for (let i = 0; i < part.edges.length; i += 6) {
    const piece = [0, 3].map((k) => [part.edges[i + k], part.edges[i + k + 1], part.edges[i + k + 2]]) as [Vec3, Vec3];
    const off = Math.hypot(...[0, 1, 2].map((k) => (piece[0][k] + piece[1][k]) / 2 - place[k]));
    if (!best || off < best.off) best = { piece, off };
  }
  return new Measure(part).pick({ point: best!.piece[0], triangle: -1, vertex: false, edge: best!.piece });
}
const of = <K extends Shape['kind']>(m: Measured, kind: K): Extract<Shape, { kind: K }> => {
  expect(m.shape.kind).toBe(kind);
  return m.shape as Extract<Shape, { kind: K }>;
};

describe('a plate with holes, its exact surfaces', () => {
  let plate: Drawn;
  beforeAll(async () => {
    const holes = [build.cylinder([15, 20, -1], [0, 0, 1], 3.3, 20), build.cylinder([45, 20, 4], [0, 0, 1], 10, 20)];
    plate = await drawn(build.cut(build.box([0, 0, 0], [60, 40, 12]), ...holes));
  });
  test('a hole: its diameter to a millionth although the facets lie within it, hollow, as deep as it is', () => {
    const through = face(plate, [15 + 3.3, 20, 6]);
    expect(of(through, 'cylinder')).toMatchObject({ hollow: true });
    expect(of(through, 'cylinder').r).toBeCloseTo(3.3, 9);
    expect(of(through, 'cylinder').along).toBeCloseTo(12, 5);
    expect(of(face(plate, [45, 30, 8]), 'cylinder').along).toBeCloseTo(8, 5);
    expect(through.exact).toBe(true);
  });
  test('the wall behind a place: under a blind hole, beside one, between two, and through the whole', () => {
    expect(face(plate, [45, 20, 4]).wall!.thickness).toBeCloseTo(4, 9);
    expect(face(plate, [5, 35, 12]).wall!.thickness).toBeCloseTo(12, 9);
    // From the side, 20 mm in from the ends: to the wall of the hole, which a facet alone would put further away.
    expect(face(plate, [0, 20, 6]).wall!.thickness).toBeCloseTo(15 - 3.3, 6);
    // A radius away from its axis the ray grazes nothing: it goes on to the hole with the larger radius.
    const off = 5;
    expect(face(plate, [60, 20 + off, 8]).wall!.thickness).toBeCloseTo(60 - (45 + Math.sqrt(100 - off * off)), 6);
    expect(face(plate, [15 + 3.3, 20, 10]).wall!.thickness).toBeCloseTo(45 - 10 - 18.3, 6);
  });
  test('faces that are parallel, square, and a face with the axis of a hole', () => {
    const [top, under, side] = [face(plate, [30, 5, 12]), face(plate, [30, 5, 0]), face(plate, [0, 20, 3])];
    expect(between(top, under)).toMatchObject({ of: 'planes', parallel: true });
    expect(between(top, under).distance).toBeCloseTo(12, 9);
    expect(between(top, side).angle).toBeCloseTo(90, 9);
    const hole = face(plate, [15, 16.7, 6]);
    expect(between(side, hole)).toMatchObject({ of: 'plane and axis', parallel: true });
    expect(between(side, hole).distance).toBeCloseTo(15, 9);
    // The other way round the line is drawn the other way.
    expect(between(hole, side).from).toEqual(between(side, hole).to);
    expect(between(top, hole)).toMatchObject({ of: 'plane and centre', parallel: false });
  });
  test('two holes: their axes; their rims: also centres at different heights', () => {
    const [a, b] = [face(plate, [15, 16.7, 6]), face(plate, [45, 30, 8])];
    expect(between(a, b)).toMatchObject({ of: 'axes', parallel: true, centres: null });
    expect(between(a, b).distance).toBeCloseTo(30, 9);
    const [low, floor] = [edge(plate, [15, 16.7, 0]), edge(plate, [45, 30, 4])];
    expect(of(low, 'circle')).toMatchObject({ turn: 360 });
    expect(of(low, 'circle').r).toBeCloseTo(3.3, 5);
    expect(of(low, 'circle').length).toBeCloseTo(2 * Math.PI * 3.3, 4);
    expect(between(low, floor).distance).toBeCloseTo(30, 5);
    expect(between(low, floor).centres).toBeCloseTo(Math.hypot(30, 4), 5);
  });
  test('straight edges whole, however they are drawn; parallel, skew; a corner', () => {
    const [a, b, up] = [edge(plate, [30, 0, 12]), edge(plate, [30, 40, 12]), edge(plate, [0, 40, 6])];
    expect(of(a, 'line').length).toBeCloseTo(60, 5);
    expect(between(a, b)).toMatchObject({ of: 'edges', parallel: true });
    expect(between(a, b).distance).toBeCloseTo(40, 5);
    expect(between(a, up)).toMatchObject({ parallel: false });
    expect(between(a, up).angle).toBeCloseTo(90, 5);
    expect(between(a, up).distance).toBeCloseTo(40, 5);
    const corner = (at: Vec3): Measured => new Measure(plate).pick({ point: at, triangle: 0, vertex: true, edge: [at, at] });
    expect(between(corner([0, 0, 0]), corner([60, 40, 12]))).toMatchObject({ of: 'points', angle: null });
    expect(between(corner([0, 0, 0]), corner([60, 40, 12])).distance).toBeCloseTo(Math.hypot(60, 40, 12), 9);
    expect(between(corner([0, 0, 0]), a)).toMatchObject({ of: 'edge and point' });
    expect(between(corner([0, 0, 0]), a).distance).toBeCloseTo(12, 5);
  });
});

describe('other exact faces', () => {
  test('a ball, a ring, a cone, an arc', async () => {
    const ball = await drawn(build.sphere([5, 6, 7], 8));
    expect(of(face(ball, [13, 6, 7]), 'sphere')).toMatchObject({ r: 8, hollow: false });
    expect(face(ball, [13, 6, 7]).wall!.thickness).toBeCloseTo(16, 6);
    const ring = await drawn(build.torus([0, 0, 0], [0, 0, 1], 20, 4));
    expect(of(face(ring, [24, 0, 0]), 'torus')).toMatchObject({ major: 20, minor: 4 });
    expect(face(ring, [24, 0, 0]).wall!.thickness).toBeCloseTo(8, 5);
    // A frustum by its profile: radius 10 at the bottom, 5 at 12 mm.
    const cone = await drawn(build.revolved([0, 0], [{ to: [10, 0] }, { to: [5, 12] }, { to: [0, 12] }] as never));
    const found = of(face(cone, [7.5, 0, 6]), 'cone');
    expect(found.half).toBeCloseTo((Math.atan(5 / 12) * 180) / Math.PI, 6);
    expect(found.apex[2]).toBeCloseTo(24, 6);
    const rounded = await drawn(build.rounded(build.box([0, 0, 0], [30, 20, 10]), 4, ([x, y]) => x < 1 && y < 1));
    const arc = of(edge(rounded, [4 - 4 * Math.SQRT1_2, 4 - 4 * Math.SQRT1_2, 10]), 'circle');
    expect(arc.r).toBeCloseTo(4, 4);
    expect(arc.turn).toBeCloseTo(90, 2);
    expect(arc.length).toBeCloseTo(2 * Math.PI, 3);
    expect(of(face(rounded, [4 - 4 * Math.SQRT1_2, 4 - 4 * Math.SQRT1_2, 5]), 'cylinder')).toMatchObject({ r: 4, hollow: false });
  });
  test('a tube: the wall between two round faces, to a thousandth of what their facets would say', async () => {
    const tube = await drawn(build.cut(build.cylinder([0, 0, 0], [0, 0, 1], 100, 20), build.cylinder([0, 0, -1], [0, 0, 1], 98, 22)));
    for (const turn of [0.01, 0.3, 1.1]) {
      const place: Vec3 = [100 * Math.cos(turn), 100 * Math.sin(turn), 10];
      expect(face(tube, place).wall!.thickness).toBeCloseTo(2, 6);
      expect(face(tube, [place[0] * 0.98, place[1] * 0.98, 10]).wall!.thickness).toBeCloseTo(2, 6);
    }
  });
});

/** A cylinder of n sides round an axis through zero, without lids. */
function side(n: number, r: number, h: number, turn: (p: Vec3) => Vec3 = (p) => p, part = n): Mesh {
  const positions: number[] = [];
  const triangles: number[] = [];
  for (let k = 0; k <= part; k++) for (const z of [0, h]) positions.push(...turn([r * Math.cos((2 * Math.PI * k) / n), r * Math.sin((2 * Math.PI * k) / n), z]));
  for (let k = 0; k < part; k++) triangles.push(2 * k, 2 * k + 2, 2 * k + 3, 2 * k, 2 * k + 3, 2 * k + 1);
  return mesh(positions, triangles);
} // prettier-ignore

describe('meshes: surfaces fitted to the triangles around', () => {
  test('a cylinder of any radius, anywhere, turned any way', () => {
    fc.assert(
      fc.property(
        fc.double({ min: 0.5, max: 500, noNaN: true }),
        fc.integer({ min: 15, max: 90 }),
        fc.double({ min: 0, max: 3, noNaN: true }),
        (r, n, tilt) => {
          const [c, s] = [Math.cos(tilt), Math.sin(tilt)];
          const turned = ([x, y, z]: Vec3): Vec3 => [x * c + z * s + 50, y - 20, -x * s + z * c];
          const part = drawnMesh(side(n, r, 2 * r, turned));
          const found = of(face(part, turned([r, 0, r])), 'cylinder');
          expect(Math.abs(found.r / r - 1)).toBeLessThan(1e-4);
          expect(Math.abs(found.along / (2 * r) - 1)).toBeLessThan(1e-4);
          expect(Math.abs(Math.abs(found.axis[0]) - Math.abs(s))).toBeLessThan(1e-3);
          expect(found.hollow).toBe(false);
        },
      ),
      { numRuns: 40 },
    );
  });
  test('facets that turn by more than can belong to one face stay flats: 15 sides are round, 14 are not', () => {
    expect(face(drawnMesh(side(15, 10, 20)), [10, 0, 10]).shape.kind).toBe('cylinder');
    expect(face(drawnMesh(side(14, 10, 20)), [10, 0.2, 10]).shape.kind).toBe('plane');
  });
  test(`a bend of ${leastDirections} flats may be round, one of fewer is so many planes`, () => {
    const at = (flats: number): Vec3 => [10 * Math.cos(Math.PI / 30), 10 * Math.sin(Math.PI / 30), flats];
    expect(face(drawnMesh(side(30, 10, 20, (p) => p, leastDirections)), at(10)).shape.kind).toBe('cylinder');
    expect(face(drawnMesh(side(30, 10, 20, (p) => p, leastDirections - 1)), at(10)).shape.kind).toBe('plane');
  });
  test('a dent deeper than may be is not taken for round', () => {
    const dented = (by: number) => {
      const part = side(60, 10, 20);
      for (const k of [0, 1]) part.positions[20 * 2 * 3 + k * 3] *= 1 - by;
      return face(drawnMesh(part), [10, 0, 10]).shape.kind;
    };
    expect(dented(fitShare * 0.5)).toBe('cylinder');
    expect(dented(fitShare * 30)).not.toBe('cylinder');
  });
  test('a ball, a cone, a block; what is no surface of these is a flat of it or free', () => {
    const ball = of(face(drawnMesh(sphere(7, 3)), [7, 0, 0]), 'sphere');
    expect(Math.abs(ball.r / 7 - 1)).toBeLessThan(1e-3);
    const cone: Mesh = side(48, 10, 20);
    for (let v = 1; v < cone.positions.length / 3; v += 2) for (const k of [0, 1]) cone.positions[v * 3 + k] *= 0.5;
    const found = of(face(drawnMesh(cone), [7.5, 0, 10]), 'cone');
    expect(found.half).toBeCloseTo((Math.atan(5 / 20) * 180) / Math.PI, 2);
    expect(found.apex[2]).toBeCloseTo(40, 2);
    const block = drawnMesh(mesh([0, 0, 0, 30, 0, 0, 30, 20, 0, 0, 20, 0, 0, 0, 10, 30, 0, 10, 30, 20, 10, 0, 20, 10], [0, 2, 1, 0, 3, 2, 4, 5, 6, 4, 6, 7, 0, 1, 5, 0, 5, 4, 1, 2, 6, 1, 6, 5, 2, 3, 7, 2, 7, 6, 3, 0, 4, 3, 4, 7])); // prettier-ignore
    const top = face(block, [20, 15, 10]);
    expect(of(top, 'plane').area).toBeCloseTo(600, 6);
    expect(top).toMatchObject({ exact: false });
    expect(top.wall!.thickness).toBeCloseTo(10, 6);
    expect(between(top, face(block, [20, 5, 0])).distance).toBeCloseTo(10, 6);
  });
});

describe('edges as they are drawn', () => {
  const pieces = (points: Vec3[]): Float32Array => Float32Array.from(points.slice(1).flatMap((p, i) => [...points[i], ...p]));
  const part = (points: Vec3[]): Drawn => ({ ...drawnMesh(mesh([0, 0, 0, 100, 0, 0, 0, 100, 0], [0, 1, 2])), edges: pieces(points) });
  const picked = (points: Vec3[]) => edge(part(points), points[1]).shape;
  const polygon = (n: number, off = 0): Vec3[] => Array.from({ length: n + 1 }, (_, k) => [20 * Math.cos((2 * Math.PI * k) / n), 20 * Math.sin((2 * Math.PI * k) / n), k === 3 ? off : 0]); // prettier-ignore
  test(`an edge goes on where it turns less than ${onwardTurn} degrees`, () => {
    const bent = (degrees: number): Vec3[] => [[0, 0, 0], [10, 0, 0], [10 + 10 * Math.cos((degrees * Math.PI) / 180), 10 * Math.sin((degrees * Math.PI) / 180), 0]]; // prettier-ignore
    expect(picked(bent(onwardTurn - 1))).toMatchObject({ kind: 'curve' });
    expect(picked(bent(onwardTurn + 1))).toMatchObject({ kind: 'line' });
  });
  test('a circle of ten sides and more; one that is out of its plane by more than may be is a curve', () => {
    expect(picked(polygon(10))).toMatchObject({ kind: 'circle', turn: 360 });
    expect(picked(polygon(8))).toMatchObject({ kind: 'line' });
    expect(picked(polygon(24, 20 * edgeShare * 0.5))).toMatchObject({ kind: 'circle' });
    expect(picked(polygon(24, 20 * edgeShare * 5))).toMatchObject({ kind: 'curve' });
  });
  test('the end of a piece is a corner only where edges end: not on a circle, but where three meet, where two turn sharply, and at an open end', () => {
    const ends = (edges: Float32Array, at: Vec3) => {
      const piece = [0, 1].map((k) => [0, 1, 2].map((d) => edges[k * 3 + d])) as [Vec3, Vec3];
      return new Measure({ ...part([[0, 0, 0], [1, 0, 0]]), edges }).pick({ point: at, triangle: -1, vertex: true, edge: piece }).shape.kind;
    }; // prettier-ignore
    const round = polygon(24);
    expect(ends(pieces(round), round[1])).toBe('circle');
    const bent: Vec3[] = [[0, 0, 0], [10, 0, 0], [10, 10, 0]]; // prettier-ignore
    expect(ends(pieces(bent), [10, 0, 0])).toBe('point');
    expect(ends(pieces(bent), [0, 0, 0])).toBe('point');
    const straight = pieces([[0, 0, 0], [10, 0, 0], [20, 0, 0]]); // prettier-ignore
    expect(ends(straight, [10, 0, 0])).toBe('line');
    expect(ends(Float32Array.from([...straight, 10, 0, 0, 10, 5, 0]), [10, 0, 0])).toBe('point');
  });
  test('three edges that meet end there', () => {
    const star = part([[-10, 0, 0], [0, 0, 0], [10, 0, 0]]); // prettier-ignore
    expect(of(edge(star, [-5, 0, 0]), 'line').length).toBeCloseTo(20, 5);
    const third = { ...star, edges: Float32Array.from([...star.edges, 0, 0, 0, 0, 10, 0]) };
    expect(of(edge(third, [-5, 0, 0]), 'line').length).toBeCloseTo(10, 5);
  });
});

describe('between two picks', () => {
  const plane = (normal: Vec3, at: Vec3): Measured => ({
    shape: { kind: 'plane', at, normal: unit(normal), area: 1 },
    at,
    exact: true,
    wall: null,
    triangles: [],
    line: [],
  });
  const line = (from: Vec3, to: Vec3): Measured => ({
    shape: { kind: 'line', from, to, length: Math.hypot(...sub(to, from)) },
    at: from,
    exact: true,
    wall: null,
    triangles: [],
    line: [],
  });
  const slope = (degrees: number): Vec3 => [Math.sin((degrees * Math.PI) / 180), 0, Math.cos((degrees * Math.PI) / 180)];
  test('planes within the bound are parallel, planes beyond it have an angle and are measured from place to place', () => {
    const low = plane([0, 0, 1], [0, 0, 0]);
    expect(between(low, plane(slope(parallelWithin * 0.9), [0, 0, 5]))).toMatchObject({ parallel: true, of: 'planes' });
    const slanting = between(low, plane(slope(parallelWithin * 1.1), [3, 4, 0]));
    expect(slanting).toMatchObject({ parallel: false, of: 'places picked', distance: 5 });
    expect(slanting.angle).toBeCloseTo(parallelWithin * 1.1, 9);
    expect(between(low, plane([0, 0, -1], [9, 9, 7]))).toMatchObject({ parallel: true, distance: 7 });
  });
  test('two picks of one plane are measured from place to place: within the bound of a 32 bit number they are one', () => {
    const low = plane([0, 0, 1], [0, 0, 100]);
    expect(between(low, plane([0, 0, 1], [30, 40, 100]))).toMatchObject({ of: 'places picked on one plane', distance: 50, parallel: true });
    expect(between(low, plane([0, 0, -1], [30, 40, 100 * (1 + samePlaneWithin * 0.9)]))).toMatchObject({ of: 'places picked on one plane' });
    const step = between(low, plane([0, 0, 1], [30, 40, 100 * (1 + samePlaneWithin * 1.1)]));
    expect(step.of).toBe('planes');
    expect(step.distance).toBeCloseTo(100 * samePlaneWithin * 1.1, 9);
  });
  test('a plane and an edge: beside it, standing on it, slanting over it', () => {
    const low = plane([0, 0, 1], [0, 0, 0]);
    expect(between(low, line([0, 0, 5], [9, 0, 5]))).toMatchObject({ of: 'plane and edge', distance: 5, parallel: true });
    expect(between(low, line([0, 0, 2], [0, 0, 8]))).toMatchObject({ of: 'plane and nearer end', distance: 2, angle: 90 });
  });
  test('edges that pass each other, against a dense search', () => {
    fc.assert(
      fc.property(fc.array(fc.integer({ min: -50, max: 50 }), { minLength: 12, maxLength: 12 }), (v) => {
        const [a, b, c, d] = [0, 3, 6, 9].map((i) => v.slice(i, i + 3) as Vec3);
        if (Math.hypot(...sub(a, b)) < 1 || Math.hypot(...sub(c, d)) < 1) return;
        const found = between(line(a, b), line(c, d)).distance;
        let least = Infinity;
        const on = (p: Vec3, q: Vec3, t: number) => p.map((x, k) => x + (q[k] - x) * t) as Vec3;
        for (let i = 0; i <= 60; i++) for (let k = 0; k <= 60; k++) least = Math.min(least, Math.hypot(...sub(on(a, b, i / 60), on(c, d, k / 60)))); // prettier-ignore
        expect(found).toBeLessThanOrEqual(least + 1e-9);
        expect(found).toBeGreaterThan(least - 4);
      }),
      { numRuns: 60 },
    );
  });
});

describe('what can not be measured', () => {
  test('a part without a surface, a triangle that is not there', () => {
    expect(code(() => new Measure({ positions: [], triangles: new Uint32Array(0), starts: new Uint32Array(0), edges: new Float32Array(0), exact: null }))).toBe('nothing-to-measure'); // prettier-ignore
    const place: Place = { point: [0, 0, 0], triangle: 1, vertex: false, edge: null };
    expect(() => new Measure(drawnMesh(mesh([0, 0, 0, 1, 0, 0, 0, 1, 0], [0, 1, 2]))).pick(place)).toThrow(/has 1 triangles, none is number 1/);
  });
});
