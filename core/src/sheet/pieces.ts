import { contourOf, type Contour } from '../curves/drawing.ts';
import { fitContour, mergedContour } from '../curves/fit.ts';
import { distance, ellipseFrom, type P2, type Segment } from '../curves/segment.ts';
import { recognised } from '../curves/recognise.ts';
import { add, cross, dot, lengthOf, scaled, sub, type Vec3 } from '../geometry/vector.ts';
import type { Surface } from '../surfaces/surfaces.ts';
import { pointOn, type Course, type TopologyEdge } from './topology.ts';
import type { Development } from './develop.ts';

/** Where a patch lies on the flat: a turn (cosine, sine) and a shift, mm. */
export interface FlatPlace {
  c: number;
  s: number;
  x: number;
  y: number;
}

export const put = (m: FlatPlace, p: readonly number[]): P2 => [m.c * p[0] - m.s * p[1] + m.x, m.s * p[0] + m.c * p[1] + m.y];

/** Turn and shift that take the line from a to b onto the line from p to q. */
export function placeOnto(a: P2, b: P2, p: P2, q: P2): FlatPlace {
  const [ux, uy] = [b[0] - a[0], b[1] - a[1]];
  const [vx, vy] = [q[0] - p[0], q[1] - p[1]];
  const n = Math.hypot(ux, uy) * Math.hypot(vx, vy);
  const c = (ux * vx + uy * vy) / n;
  const s = (ux * vy - uy * vx) / n;
  // Middles on each other: what lengths differ by is shared.
  const mid = [(a[0] + b[0]) / 2, (a[1] + b[1]) / 2];
  return { c, s, x: (p[0] + q[0]) / 2 - (c * mid[0] - s * mid[1]), y: (p[1] + q[1]) / 2 - (s * mid[0] + c * mid[1]) };
}

/** An edge of the skin on the flat: exact where the flat of its curve is a line, an arc, an ellipse or a spline, else fitted. */
export interface FlatPiece {
  edge: number;
  patch: number;
  segments: Segment[];
  /** Deviation of fitting, measured, mm. */
  off: number;
  /** The course it stands for, in space. */
  course: Course;
  /** Across the end of a bend with no radius on this side: the direction of its bend line on the flat. */
  across?: P2;
}

/** A closed border of the skin on the flat, with the pieces that it is made of. */
export interface SkinContour {
  contour: Contour;
  pieces: FlatPiece[];
}

/** How an edge is laid onto the flat. */
export interface EdgeFit {
  /** How far fitted lines and arcs may be off, mm. */
  allowed: number;
  /** Moved by this in space first, mm. */
  shift?: Vec3;
  /** Of the face beyond the edge: tells a circle from corners of a mesh. */
  beyond?: Surface;
}

/** The flat of an edge, from its start to its end. */
export function flatOf(
  edge: TopologyEdge,
  develop: Development,
  place: FlatPlace,
  { allowed, shift, beyond }: EdgeFit,
): { segments: Segment[]; off: number; course: Course } {
  const course = shift ? movedCourse(edge.course, shift) : edge.course;
  const at = (t: number): P2 => put(place, develop.at(pointOn(course, t)));
  if (edge.straight) return { segments: [{ kind: 'line', a: at(0), b: at(1) }], off: 0, course };
  if (course.kind === 'corners' && develop.kind === 'wall' && beyond?.kind === 'cylinder') {
    const arc = arcOfCorners(course.points, beyond, (p) => put(place, develop.at(p)));
    if (arc) return { segments: [arc], off: 0, course };
  }
  if (course.kind === 'corners') {
    const n = course.points.length / 3 - 1;
    const points = Array.from({ length: n + 1 }, (_, i) => put(place, develop.at([course.points[i * 3], course.points[i * 3 + 1], course.points[i * 3 + 2]])));
    return { segments: points.slice(1).map((b, i): Segment => ({ kind: 'line', a: points[i], b })), off: 0, course };
  }
  const exact = develop.kind === 'wall' ? onPlane(course, (p) => put(place, develop.at(p))) : roundAxis(course, develop, at);
  if (exact) return { segments: [exact], off: 0, course };
  return { ...fitted(at, allowed), course };
}

/** Corners of a mesh where a wall meets an upright cylinder lie on a circle. Null when the cylinder leans. */
export function arcOfCorners(points: Float64Array, round: Extract<Surface, { kind: 'cylinder' }>, at: (p: Vec3) => P2): Segment | null {
  const centre = at(round.frame.at);
  const lean = distance(at(add(round.frame.at, round.frame.z)), centre);
  if (lean > 1e-3) return null;
  const flat = Array.from({ length: points.length / 3 }, (_, i) => at([points[i * 3], points[i * 3 + 1], points[i * 3 + 2]]));
  const angles = flat.map((p) => Math.atan2(p[1] - centre[1], p[0] - centre[0]));
  let sweep = 0;
  for (let i = 1; i < angles.length; i++) {
    const step = angles[i] - angles[i - 1];
    sweep += step - 2 * Math.PI * Math.round(step / (2 * Math.PI));
  }
  const closed = distance(flat[0], flat[flat.length - 1]) < 1e-9;
  if (closed) return { kind: 'arc', centre, radius: round.r, start: angles[0], sweep: Math.sign(sweep) * 2 * Math.PI };
  return { kind: 'arc', centre, radius: round.r, start: angles[0], sweep };
}

/** Lines, circles, ellipses and whole splines of a plane stay what they are. */
function onPlane(course: Extract<Course, { kind: 'exact' }>, at: (p: Vec3) => P2): Segment | null {
  const { curve, from, to } = course;
  if (curve.kind === 'circle' || curve.kind === 'ellipse') {
    const centre = at(curve.at);
    const p = at(add(curve.at, scaled(curve.x, curve.rx)));
    const q = at(add(curve.at, scaled(curve.y, curve.ry)));
    const u: P2 = [p[0] - centre[0], p[1] - centre[1]];
    const v: P2 = [q[0] - centre[0], q[1] - centre[1]];
    if (curve.kind === 'ellipse') return ellipseFrom(centre, [u, v], from, to - from);
    const turn = u[0] * v[1] - u[1] * v[0] > 0 ? 1 : -1;
    return { kind: 'arc', centre, radius: curve.rx, start: Math.atan2(u[1], u[0]) + turn * from, sweep: turn * (to - from) };
  }
  if (curve.kind !== 'bspline') return null;
  const n = curve.poles.length / 3;
  const whole = Math.abs(curve.knots[curve.degree] - from) + Math.abs(curve.knots[n] - to) <= 1e-9 * Math.abs(to - from);
  if (!whole) return null;
  const points = Array.from({ length: n }, (_, i) => at([curve.poles[i * 3], curve.poles[i * 3 + 1], curve.poles[i * 3 + 2]]));
  return recognised({ kind: 'spline', degree: curve.degree, knots: [...curve.knots], points, weights: curve.weights ? [...curve.weights] : null });
}

/** A circle round the axis of a bend is straight on the flat; round that of a cone it is an arc about the apex. */
function roundAxis(course: Extract<Course, { kind: 'exact' }>, develop: Development, at: (t: number) => P2): Segment | null {
  const { at: origin, along } = develop.axis!;
  const [a, b] = [at(0), at(1)];
  const heights = [0, 0.23, 0.5, 0.77, 1].map((t) => {
    const from = sub(pointOn(course, t), origin);
    return [dot(from, along), lengthOf(cross(from, along))];
  });
  const [h, r] = heights[0];
  const within = 1e-9 * (Math.abs(h) + r) + 1e-9;
  if (heights.some(([x, y]) => Math.abs(x - h) > within || Math.abs(y - r) > within)) return null;
  if (develop.kind === 'bend') return { kind: 'line', a, b };
  const m = at(0.5);
  const centre = circleCentre(a, m, b);
  if (!centre) return { kind: 'line', a, b };
  const start = Math.atan2(a[1] - centre[1], a[0] - centre[0]);
  const mid = Math.atan2(m[1] - centre[1], m[0] - centre[0]);
  let halfSweep = mid - start;
  halfSweep -= 2 * Math.PI * Math.round(halfSweep / (2 * Math.PI));
  return { kind: 'arc', centre, radius: distance(a, centre), start, sweep: 2 * halfSweep };
}

function circleCentre(a: P2, b: P2, c: P2): P2 | null {
  const [bx, by, cx, cy] = [b[0] - a[0], b[1] - a[1], c[0] - a[0], c[1] - a[1]];
  const d = 2 * (bx * cy - by * cx);
  if (Math.abs(d) < 1e-14) return null;
  const [bb, cc] = [bx * bx + by * by, cx * cx + cy * cy];
  return [a[0] + (cy * bb - by * cc) / d, a[1] + (bx * cc - cx * bb) / d];
}

/** A curve as points, doubled until the middles between them are off by less than an eighth of what is allowed; then lines and arcs. */
export function fitted(at: (t: number) => P2, allowed: number): { segments: Segment[]; off: number } {
  let n = 16;
  for (; n < 4096; n *= 2) {
    let worst = 0;
    for (let i = 0; i < n; i++) {
      const [p, m, q] = [at(i / n), at((i + 0.5) / n), at((i + 1) / n)];
      const chord = distance(p, q) || 1;
      worst = Math.max(worst, Math.abs((q[0] - p[0]) * (m[1] - p[1]) - (q[1] - p[1]) * (m[0] - p[0])) / chord);
    }
    if (worst < allowed / 16) break;
  }
  const points = Array.from({ length: n + 1 }, (_, i) => at(i / n));
  const lines = points.slice(1).map((b, i): Segment => ({ kind: 'line', a: points[i], b }));
  const done = fitContour(contourOf(lines, false), allowed * 0.8);
  return { segments: mergedContour(done.result, 1e-9).segments, off: done.measured + allowed / 16 };
}

function movedCourse(course: Course, by: Vec3): Course {
  if (course.kind === 'corners') return { kind: 'corners', points: course.points.map((v, i) => v + by[i % 3]) };
  const { curve } = course;
  if (curve.kind === 'line' || curve.kind === 'circle' || curve.kind === 'ellipse') return { ...course, curve: { ...curve, at: add(curve.at, by) } };
  if (curve.kind === 'bspline') return { ...course, curve: { ...curve, poles: curve.poles.map((v, i) => v + by[i % 3]) } };
  const n = 256;
  const points = new Float64Array((n + 1) * 3);
  for (let i = 0; i <= n; i++) points.set(add(pointOn(course, i / n), by), i * 3);
  return { kind: 'corners', points };
}

export function movedContour(c: Contour, m: FlatPlace): Contour {
  return { ...c, segments: c.segments.map((s) => movedSegment(s, m)) };
}

function movedSegment(s: Segment, m: FlatPlace): Segment {
  const angle = Math.atan2(m.s, m.c);
  switch (s.kind) {
    case 'line':
      return { kind: 'line', a: put(m, s.a), b: put(m, s.b) };
    case 'arc':
      return { ...s, centre: put(m, s.centre), start: s.start + angle };
    case 'ellipse':
      return { ...s, centre: put(m, s.centre), u: [m.c * s.u[0] - m.s * s.u[1], m.s * s.u[0] + m.c * s.u[1]] };
    default:
      return { ...s, points: s.points.map((p) => put(m, p)) };
  }
}
