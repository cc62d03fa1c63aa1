import type { Body, BodyEdge, BodyFace } from '../src/body/body.ts';
import { cross, sub, unit, type Vec3 } from '../src/geometry/vector.ts';
import type { Curve } from '../src/surfaces/curves.ts';
import type { BsplineSurface } from '../src/surfaces/surfaces.ts';

export const bump = { side: 100, under: 5, top: 10, at: 37.3 };

/** Knots of a cubic, and the pole whose bump is four spans wide; poles stand so that x = u. */
function bumpedKnots(span: number): { knots: Float64Array; places: number[]; middle: number } {
  const { side, at } = bump;
  const inner = [20, ...[-3, -2, -1, 0, 1, 2, 3].map((i) => at + i * span), 80];
  const knots = Float64Array.from([0, 0, 0, 0, ...inner, side, side, side, side]);
  const places = Array.from({ length: knots.length - 4 }, (_, i) => (knots[i + 1] + knots[i + 2] + knots[i + 3]) / 3);
  return { knots, places, middle: 3 + inner.indexOf(at) - 1 };
}

/** A cubic line of 100 mm with one bump: x or z along it, `from` across, its poles by a function. */
function bumpedLine(span: number, height: number, pole: (along: number, across: number) => Vec3): Extract<Curve, { kind: 'bspline' }> {
  const { knots, places, middle } = bumpedKnots(span);
  return { kind: 'bspline', degree: 3, knots, poles: Float64Array.from(places.flatMap((x, i) => pole(x, i === middle ? height : 0))), weights: null };
}

/** A cubic spline over a square at z = 10, flat but for one bump (or pit) four spans wide, whose poles stand so that x = u and y = v. */
export function bumpedSurface(span: number, height: number): BsplineSurface {
  const { knots, places, middle } = bumpedKnots(span);
  const count = places.length;
  const poles = new Float64Array(count * count * 3);
  for (let i = 0; i < count; i++)
    for (let j = 0; j < count; j++) poles.set([places[i], places[j], bump.top + (i === middle && j === middle ? height : 0)], (i * count + j) * 3);
  return { kind: 'bspline', uDegree: 3, vDegree: 3, uKnots: knots, vKnots: knots.slice(), uCount: count, vCount: count, poles, weights: null };
}

/** A plate under that surface. */
export function bumpedPlate(span: number, height: number): Body {
  const { side, under, top } = bump;
  const points: Vec3[] = [under, top].flatMap((z) => [[0, 0, z], [side, 0, z], [side, side, z], [0, side, z]] as Vec3[]); // prettier-ignore
  const edges: BodyEdge[] = [];
  const edge = (start: number, end: number) => {
    const way = sub(points[end], points[start]);
    edges.push({ curve: { kind: 'line', at: points[start], along: unit(way) }, from: 0, to: Math.hypot(...way), start, end });
  };
  for (let i = 0; i < 4; i++) edge(i, (i + 1) % 4);
  for (let i = 0; i < 4; i++) edge(4 + i, 4 + ((i + 1) % 4));
  for (let i = 0; i < 4; i++) edge(i, 4 + i);
  const flat = (at: Vec3, x: Vec3, z: Vec3) => ({ kind: 'plane' as const, frame: { at, x, y: cross(z, x), z } });
  const faces: BodyFace[] = [
    { surface: bumpedSurface(span, height), turned: false, loops: [[4, 5, 6, 7].map((e) => ({ edge: e, turned: false }))] },
    { surface: flat(points[0], [1, 0, 0], [0, 0, -1]), turned: false, loops: [[3, 2, 1, 0].map((e) => ({ edge: e, turned: true }))] },
  ];
  for (let i = 0; i < 4; i++) {
    const j = (i + 1) % 4;
    const x = unit(sub(points[j], points[i]));
    const loop = [{ edge: i, turned: false }, { edge: 8 + j, turned: false }, { edge: 4 + i, turned: true }, { edge: 8 + i, turned: true }]; // prettier-ignore
    faces.push({ surface: flat(points[i], x, cross(x, [0, 0, 1])), turned: false, loops: [loop] });
  }
  return { points, edges, faces, shells: [[0, 1, 2, 3, 4, 5]], tolerance: 1e-6 };
}

/** The same plate with a ridge all along y in its place. */
export function bumpedRidge(span: number, height: number): Body {
  const body = bumpedPlate(span, height);
  const line = (y: number) => bumpedLine(span, height, (x, up) => [x, y, bump.top + up]);
  body.edges[4] = { curve: line(0), from: 0, to: bump.side, start: 4, end: 5 };
  // Along it x rises: the loops go back along the second one.
  body.edges[6] = { curve: line(bump.side), from: 0, to: bump.side, start: 7, end: 6 };
  for (const face of body.faces) face.loops = face.loops.map((loop) => loop.map((use) => (use.edge === 6 ? { edge: 6, turned: !use.turned } : use)));
  body.faces[0].surface = { kind: 'extrusion', along: [0, 1, 0], profile: line(0) };
  return body;
}

export const tube = { inner: 5, outer: 20 };

/** A tube of 100 mm with a narrow ring round it. */
export function bumpedTube(span: number, height: number): Body {
  const { side } = bump;
  const { inner, outer } = tube;
  const circles = [[outer, 0], [outer, side], [inner, 0], [inner, side]]; // prettier-ignore
  const points = circles.map(([r, z]): Vec3 => [r, 0, z]);
  const edges = circles.map(([r, z], i): BodyEdge => ({
    curve: { kind: 'circle', at: [0, 0, z], x: [1, 0, 0], y: [0, 1, 0], rx: r, ry: r },
    from: 0,
    to: 2 * Math.PI,
    start: i,
    end: i,
  }));
  const loops = (...uses: [edge: number, turned: boolean][]) => uses.map(([edge, turned]) => [{ edge, turned }]);
  const frame = { at: [0, 0, 0] as Vec3, x: [1, 0, 0] as Vec3, y: [0, 1, 0] as Vec3, z: [0, 0, 1] as Vec3 };
  const profile = bumpedLine(span, height, (z, out) => [outer + out, 0, z]);
  // The seam of the outer face.
  edges.push({ curve: profile, from: 0, to: side, start: 0, end: 1 });
  const round = [{ edge: 0, turned: false }, { edge: 4, turned: false }, { edge: 1, turned: true }, { edge: 4, turned: true }]; // prettier-ignore
  const faces: BodyFace[] = [
    { surface: { kind: 'revolution', at: [0, 0, 0], axis: [0, 0, 1], profile }, turned: false, loops: [round] },
    { surface: { kind: 'cylinder', frame, r: inner }, turned: true, loops: loops([2, true], [3, false]) },
    { surface: { kind: 'plane', frame: { at: [0, 0, 0], x: [1, 0, 0], y: [0, -1, 0], z: [0, 0, -1] } }, turned: false, loops: loops([0, true], [2, false]) },
    { surface: { kind: 'plane', frame: { ...frame, at: [0, 0, side] } }, turned: false, loops: loops([1, false], [3, true]) },
  ];
  return { points, edges, faces, shells: [[0, 1, 2, 3]], tolerance: 1e-6 };
}

/** A spindle: a spline from the axis and back to it, turned by an angle, and flat where it is cut open. Places of the profile are r, z. */
export function spindle(angle: number): { body: Body; profile: Extract<Curve, { kind: 'bspline' }> } {
  const knots = Float64Array.of(0, 0, 0, 0, 1, 2, 3, 4, 4, 4, 4);
  const rz = [[0, 0], [9, 5], [20, 20], [18, 50], [25, 70], [10, 95], [0, 100]]; // prettier-ignore
  const line = (c: number, s: number): Extract<Curve, { kind: 'bspline' }> => ({ kind: 'bspline', degree: 3, knots, poles: Float64Array.from(rz.flatMap(([r, z]) => [r * c, r * s, z])), weights: null }); // prettier-ignore
  const profile = line(1, 0);
  const [c, s] = [Math.cos(angle), Math.sin(angle)];
  const surface = { kind: 'revolution' as const, at: [0, 0, 0] as Vec3, axis: [0, 0, 1] as Vec3, profile };
  const points: Vec3[] = [[0, 0, 0], [0, 0, 100]]; // prettier-ignore
  const ends = { start: 0, end: 1, from: 0, to: 4 };
  const edges: BodyEdge[] = [{ ...ends, curve: profile }, { ...ends, curve: line(c, s) }, { ...ends, curve: { kind: 'line', at: [0, 0, 0], along: [0, 0, 1] }, to: 100 }]; // prettier-ignore
  if (angle === 2 * Math.PI) {
    const seam = [{ edge: 0, turned: false }, { edge: 0, turned: true }]; // prettier-ignore
    return { profile, body: { points, edges: edges.slice(0, 1), faces: [{ surface, turned: false, loops: [seam] }], shells: [[0]], tolerance: 1e-6 } };
  }
  const up: Vec3 = [0, 0, 1];
  const side = (x: Vec3, z: Vec3) => ({ kind: 'plane' as const, frame: { at: [0, 0, 0] as Vec3, x, y: cross(z, x), z } });
  const loop = (...uses: [number, boolean][]) => [uses.map(([edge, turned]) => ({ edge, turned }))];
  const faces: BodyFace[] = [
    { surface, turned: false, loops: loop([1, false], [0, true]) },
    { surface: side(up, [0, -1, 0]), turned: false, loops: loop([0, false], [2, true]) },
    { surface: side(up, [-s, c, 0]), turned: false, loops: loop([2, false], [1, true]) },
  ];
  return { profile, body: { points, edges, faces, shells: [[0, 1, 2]], tolerance: 1e-6 } };
}
