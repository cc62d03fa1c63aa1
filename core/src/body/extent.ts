import { findSpan } from '../surfaces/nurbs.ts';
import { curveAt, type Curve } from '../surfaces/curves.ts';
import { surfaceAt, type Surface } from '../surfaces/surfaces.ts';
import { emptyBox, type Box } from '../geometry/box.ts';
import { cross, dot, scaled, sub, type Vec3 } from '../geometry/vector.ts';
import { chebyshev, spanPlaces } from '../surfaces/span-places.ts';
import { placedCurve, placedSurface } from '../surfaces/placed.ts';
import type { Rows } from '../geometry/rows.ts';
import type { Body } from './body.ts';
import { Inverse } from './inverse.ts';
import { smoothPieces } from './trace.ts';
import { liesIn, polygonOf, type Trim } from './trim.ts';

/** Grows a box by a point. */
function grow(box: Box, p: Vec3): void {
  for (let k = 0; k < 3; k++) {
    if (p[k] < box.min[k]) box.min[k] = p[k];
    if (p[k] > box.max[k]) box.max[k] = p[k];
  }
}

const turn = 2 * Math.PI;

/** Grows a box by a piece of a curve: its ends, and where it turns back along an axis. */
function growByCurve(box: Box, c: Curve, from: number, to: number): void {
  grow(box, curveAt(c, from, 1).at);
  grow(box, curveAt(c, to, 1).at);
  if (c.kind === 'line') return;
  if (c.kind === 'circle' || c.kind === 'ellipse') {
    for (let k = 0; k < 3; k++) {
      const at = Math.atan2(c.ry * c.y[k], c.rx * c.x[k]);
      for (const t of [at, at + Math.PI]) {
        const first = t + Math.ceil((from - t) / turn) * turn;
        if (first <= to) grow(box, curveAt(c, first, 1).at);
      }
    }
    return;
  }
  if (c.kind === 'bspline' && within(box, c.poles)) return;
  const cuts = smoothPieces(c, from, to);
  for (let i = 1; i < cuts.length; i++) if (!(c.kind === 'bspline' && within(box, polesOf(c, cuts[i - 1], cuts[i])))) turnsIn(box, c, cuts[i - 1], cuts[i]);
}

/** Places of a smooth piece that are looked at for a change of direction: more where it may change more often. */
const looksOf = (c: Curve) => (c.kind === 'bspline' ? (c.weights ? 12 : 2 * c.degree) : 12);

function turnsIn(box: Box, c: Curve, from: number, to: number): void {
  const looks = looksOf(c);
  let before = curveAt(c, from, 1);
  for (let i = 1; i <= looks; i++) {
    const t = from + ((to - from) * i) / looks;
    const now = curveAt(c, t, 1);
    for (let k = 0; k < 3; k++) {
      if (before.d1[k] * now.d1[k] > 0) continue;
      let [a, b] = [from + ((to - from) * (i - 1)) / looks, t];
      for (let step = 0; step < 60; step++) {
        const m = (a + b) / 2;
        if (curveAt(c, m, 1).d1[k] * before.d1[k] > 0) a = m;
        else b = m;
      }
      grow(box, curveAt(c, (a + b) / 2, 1).at);
    }
    before = now;
  }
}

/**
 * Box of a body, mm: where its edges turn back along the axes, and where a face bulges beyond its edges.
 * Closed forms for round surfaces; others are searched from a grid to about 1e-9 of their size.
 */
export function boxOfBody(body: Body, trims: readonly Trim[]): Box {
  const box = emptyBox();
  for (const p of body.points) grow(box, p);
  for (const { curve, from, to } of body.edges) growByCurve(box, curve, from, to);
  trims.forEach((trim) => growByFace(box, trim));
  return box;
}

/**
 * Box of a body after a turn and a shift, mm. Quarter turns take the box along; others lay the body out anew.
 * @param rows without scale
 */
export function boxOfPlaced(body: Body, trims: readonly Trim[], rows: Rows, own: Box): Box {
  const square = [0, 1, 2].every((r) => [0, 1, 2].filter((c) => Math.abs(rows[4 * r + c]) > quarterTurn).length === 1);
  if (square) {
    const box = emptyBox();
    for (const p of [own.min, own.max]) grow(box, placedPoint(rows, p));
    return box;
  }
  const placed: Body = {
    ...body,
    points: body.points.map((p) => placedPoint(rows, p)),
    edges: body.edges.map((edge) => ({ ...edge, curve: placedCurve(edge.curve, rows) })),
    faces: body.faces.map((face) => ({ ...face, surface: placedSurface(face.surface, rows) })),
  };
  return boxOfBody(
    placed,
    trims.map((trim, f) => ({ ...trim, on: new Inverse(placed.faces[f].surface) })),
  );
}

/** A turn whose rows have one entry above this each, beside zeroes, is one by quarters. */
const quarterTurn = 1e-15;

const placedPoint = (m: Rows, p: readonly number[]): Vec3 => [0, 4, 8].map((r) => m[r] * p[0] + m[r + 1] * p[1] + m[r + 2] * p[2] + m[r + 3]) as Vec3;

function growByFace(box: Box, trim: Trim): void {
  const s = trim.on.surface;
  // Ruled surfaces reach no farther than their edges.
  if (s.kind === 'plane' || s.kind === 'cylinder' || s.kind === 'cone' || s.kind === 'extrusion') return;
  if (s.kind === 'bspline' && within(box, s.poles)) return;
  const polygons = trim.loops.map(polygonOf);
  const periods: [number, number] = [trim.on.uPeriod, trim.on.vPeriod];
  for (let k = 0; k < 3; k++) {
    const axis: Vec3 = [0, 0, 0];
    axis[k] = 1;
    for (const [u, v] of s.kind === 'sphere' || s.kind === 'torus' ? farthestOf(s, axis) : searched(trim, polygons, k)) {
      const p = surfaceAt(s, u, v).at;
      if (p[k] < box.min[k] || p[k] > box.max[k]) if (liesIn(polygons, periods, u, v)) grow(box, p);
    }
  }
}

/** The poles that have to do with a knot span. */
function polesOf(c: Extract<Curve, { kind: 'bspline' }>, from: number, to: number): Float64Array {
  const span = findSpan(c.knots, c.degree, c.poles.length / 3, (from + to) / 2);
  return c.poles.subarray((span - c.degree) * 3, (span + 1) * 3);
}

/** Whether all poles lie in the box: the surface lies within their hull. */
function within(box: Box, poles: Float64Array): boolean {
  for (let i = 0; i < poles.length; i++) if (poles[i] < box.min[i % 3] || poles[i] > box.max[i % 3]) return false;
  return true;
}

/** Parameters where a sphere or torus is farthest along a direction and against it, and its other stationary points. */
function farthestOf(s: Extract<Surface, { kind: 'sphere' | 'torus' }>, axis: Vec3): [number, number][] {
  const { x, y, z } = s.frame;
  const up = dot(axis, z);
  const w = sub(axis, scaled(z, up));
  const flat = Math.hypot(dot(w, x), dot(w, y));
  const u = Math.atan2(dot(w, y), dot(w, x));
  if (s.kind === 'sphere') {
    const v = Math.atan2(up, flat);
    return [
      [u, v],
      [u + Math.PI, -v],
    ];
  }
  // Straight along the ring's axis the farthest points are a whole circle: some of its places.
  const us = flat < 1e-12 ? Array.from({ length: 16 }, (_, i) => (i * turn) / 16 + 0.1) : [u, u + Math.PI];
  return us.flatMap((at, i) => {
    const v = Math.atan2(up, flat < 1e-12 ? 0 : i === 0 ? flat : -flat);
    return [
      [at, v],
      [at, v + Math.PI],
    ] as [number, number][];
  });
}

/** Places each way that a free surface is looked over at. */
const over = 24;

/** Parameters near which a coordinate is largest and smallest within a face. */
function searched(trim: Trim, polygons: readonly Float64Array[], k: number): [number, number][] {
  const s = trim.on.surface;
  const [u0, u1, v0, v1] = polygonBox(polygons[0]);
  const periods: [number, number] = [trim.on.uPeriod, trim.on.vPeriod];
  const out: [number, number][] = [];
  for (const sign of [1, -1]) {
    const value = (u: number, v: number) => sign * surfaceAt(s, u, v).at[k];
    const [lu, hu, lv, hv] = trim.on.range;
    const held = (u: number, v: number): [number, number] => [periods[0] > 0 ? u : Math.min(hu, Math.max(lu, u)), periods[1] > 0 ? v : Math.min(hv, Math.max(lv, v))]; // prettier-ignore
    let best = -Infinity;
    let at: [number, number] = [u0, v0];
    for (let i = 0; i <= over; i++) {
      for (let j = 0; j <= over; j++) {
        const [u, v] = held(u0 + ((u1 - u0) * i) / over, v0 + ((v1 - v0) * j) / over);
        const x = value(u, v);
        if (x > best && liesIn(polygons, periods, u, v)) {
          best = x;
          at = [u, v];
        }
      }
    }
    for (const [u, v] of inHighSpans(s, k, sign, () => best)) {
      const x = value(u, v);
      if (x > best && liesIn(polygons, periods, u, v)) {
        best = x;
        at = [u, v];
      }
    }
    // Smaller and smaller steps uphill.
    let [hu2, hv2] = [(u1 - u0) / over, (v1 - v0) / over];
    for (let step = 0; step < 400 && hu2 > (u1 - u0) * 1e-9; step++) {
      let found = false;
      for (const [a, b] of [[1, 0], [-1, 0], [0, 1], [0, -1], [1, 1], [-1, -1], [1, -1], [-1, 1]]) {
        const next = held(at[0] + a * hu2, at[1] + b * hv2);
        const x = value(...next);
        if (x <= best) continue;
        best = x;
        at = next;
        found = true;
        break;
      } // prettier-ignore
      if (!found) {
        hu2 /= 2;
        hv2 /= 2;
      }
    }
    out.push(at);
  }
  return out;
}

/** Poles that reach beyond what was found by this share of the largest coordinate do so by rounding. */
const rounding = 1e-12;

/**
 * Places in those spans of a spline whose poles reach beyond what was found, the surface lies within their hull: a narrow bump has poles of its own.
 * @param best what was found so far, times the sign; asked again for each span
 */
function* inHighSpans(s: Surface, k: number, sign: number, best: () => number): Generator<[number, number]> {
  if (s.kind === 'revolution') yield* turnedFarthest(s, k, sign);
  const base = s.kind === 'offset' ? s.of : s;
  if (base.kind !== 'bspline') return;
  const besides = s.kind === 'offset' ? Math.abs(s.by) : 0;
  const { uKnots, vKnots, uDegree, vDegree, uCount, vCount, poles } = base;
  const near = rounding * poles.reduce((most, x) => Math.max(most, Math.abs(x)), 0);
  const highest = (i: number, j: number) => {
    let most = -Infinity;
    for (let a = i - uDegree; a <= i; a++) for (let b = j - vDegree; b <= j; b++) most = Math.max(most, sign * poles[3 * (a * vCount + b) + k]);
    return most + besides;
  };
  for (let i = uDegree; i < uCount; i++) {
    if (!(uKnots[i + 1] > uKnots[i])) continue;
    for (let j = vDegree; j < vCount; j++) {
      if (!(vKnots[j + 1] > vKnots[j]) || highest(i, j) <= best() + near) continue;
      for (const u of chebyshev(uKnots[i], uKnots[i + 1], uDegree + 1)) for (const v of chebyshev(vKnots[j], vKnots[j + 1], vDegree + 1)) yield [u, v];
    }
  }
}

/** Places in every span of a profile, turned to where they reach farthest along an axis. */
function* turnedFarthest(s: Extract<Surface, { kind: 'revolution' }>, k: number, sign: number): Generator<[number, number]> {
  const places = spanPlaces(s, [0, 0])?.v ?? [];
  const towards: Vec3 = [0, 0, 0];
  towards[k] = sign;
  for (const v of places) {
    const from = sub(surfaceAt(s, 0, v).at, s.at);
    const across = sub(from, scaled(s.axis, dot(from, s.axis)));
    yield [Math.atan2(dot(cross(s.axis, across), towards), dot(across, towards)), v];
  }
}

/** Least and most u, then least and most v, of a polygon in the parameter plane. */
export function polygonBox(p: Float64Array): [number, number, number, number] {
  const box: [number, number, number, number] = [Infinity, -Infinity, Infinity, -Infinity];
  for (let i = 0; i < p.length; i += 2) {
    box[0] = Math.min(box[0], p[i]);
    box[1] = Math.max(box[1], p[i]);
    box[2] = Math.min(box[2], p[i + 1]);
    box[3] = Math.max(box[3], p[i + 1]);
  }
  return box;
}
