/** A point or vector in the plane, mm. */
export type P2 = [number, number];

export interface LineSegment {
  kind: 'line';
  a: P2;
  b: P2;
}
/** A circular arc; angles in rad, sweep positive counter-clockwise, 2 pi for a full circle. */
export interface ArcSegment {
  kind: 'arc';
  centre: P2;
  radius: number;
  start: number;
  sweep: number;
}
/** An elliptical arc: centre + u cos t + v sin t, where v is u turned a quarter counter-clockwise times ratio. */
export interface EllipseSegment {
  kind: 'ellipse';
  centre: P2;
  u: P2;
  ratio: number;
  start: number;
  sweep: number;
}
/** A quadratic (3 points) or cubic (4 points) Bézier curve. */
export interface BezierSegment {
  kind: 'bezier';
  points: P2[];
}
/** A NURBS curve over the knots from number `degree` to number `points.length`. */
export interface SplineSegment {
  kind: 'spline';
  degree: number;
  knots: number[];
  points: P2[];
  weights: number[] | null;
}
/** An exact piece of a contour. */
export type Segment = LineSegment | ArcSegment | EllipseSegment | BezierSegment | SplineSegment;
export type SegmentKind = Segment['kind'];

export const turn = 2 * Math.PI;

/** Point at share t (0 to 1) of the segment's own parameter. */
export function pointAt(s: Segment, t: number): P2 {
  switch (s.kind) {
    case 'line':
      return t === 1 ? [s.b[0], s.b[1]] : [s.a[0] + (s.b[0] - s.a[0]) * t, s.a[1] + (s.b[1] - s.a[1]) * t];
    case 'arc': {
      const angle = s.start + s.sweep * t;
      return [s.centre[0] + s.radius * Math.cos(angle), s.centre[1] + s.radius * Math.sin(angle)];
    }
    case 'ellipse': {
      const angle = s.start + s.sweep * t;
      const c = Math.cos(angle);
      const d = s.ratio * Math.sin(angle);
      return [s.centre[0] + s.u[0] * c - s.u[1] * d, s.centre[1] + s.u[1] * c + s.u[0] * d];
    }
    case 'bezier':
      return bezierPoint(s.points, t);
    case 'spline': {
      const [from, to] = splineDomain(s);
      return splineAt(s, from + (to - from) * t).point;
    }
  }
}

/** Derivative at share t, by the segment's own parameter scaled to 0..1. */
export function velocityAt(s: Segment, t: number): P2 {
  switch (s.kind) {
    case 'line':
      return [s.b[0] - s.a[0], s.b[1] - s.a[1]];
    case 'arc': {
      const angle = s.start + s.sweep * t;
      return [-s.radius * s.sweep * Math.sin(angle), s.radius * s.sweep * Math.cos(angle)];
    }
    case 'ellipse': {
      const angle = s.start + s.sweep * t;
      const c = -Math.sin(angle) * s.sweep;
      const d = s.ratio * Math.cos(angle) * s.sweep;
      return [s.u[0] * c - s.u[1] * d, s.u[1] * c + s.u[0] * d];
    }
    case 'bezier': {
      const n = s.points.length - 1;
      const hodograph = s.points.slice(1).map((p, i): P2 => [n * (p[0] - s.points[i][0]), n * (p[1] - s.points[i][1])]);
      return bezierPoint(hodograph, t);
    }
    case 'spline': {
      const [from, to] = splineDomain(s);
      const { velocity } = splineAt(s, from + (to - from) * t);
      return [velocity[0] * (to - from), velocity[1] * (to - from)];
    }
  }
}

/** Unit direction at an end (0 or 1), also where the first control points coincide. */
export function directionAt(s: Segment, t: 0 | 1): P2 {
  let [x, y] = velocityAt(s, t);
  let length = Math.hypot(x, y);
  if (!(length > 0)) {
    const p = pointAt(s, t);
    const q = pointAt(s, t === 0 ? 1e-4 : 1 - 1e-4);
    [x, y] = t === 0 ? [q[0] - p[0], q[1] - p[1]] : [p[0] - q[0], p[1] - q[1]];
    length = Math.hypot(x, y);
  }
  return length > 0 ? [x / length, y / length] : [1, 0];
}

export const startOf = (s: Segment): P2 => (s.kind === 'line' ? s.a : s.kind === 'bezier' ? s.points[0] : pointAt(s, 0));
export const endOf = (s: Segment): P2 => (s.kind === 'line' ? s.b : s.kind === 'bezier' ? s.points[s.points.length - 1] : pointAt(s, 1));

/** De Casteljau's algorithm. Source: any handbook of curves. */
function bezierPoint(points: readonly P2[], t: number): P2 {
  const u = 1 - t;
  const p = points;
  switch (points.length) {
    case 4: {
      const [a, b, c, d] = [u * u * u, 3 * u * u * t, 3 * u * t * t, t * t * t];
      return [a * p[0][0] + b * p[1][0] + c * p[2][0] + d * p[3][0], a * p[0][1] + b * p[1][1] + c * p[2][1] + d * p[3][1]];
    }
    case 3: {
      const [a, b, c] = [u * u, 2 * u * t, t * t];
      return [a * p[0][0] + b * p[1][0] + c * p[2][0], a * p[0][1] + b * p[1][1] + c * p[2][1]];
    }
    case 2:
      return [u * p[0][0] + t * p[1][0], u * p[0][1] + t * p[1][1]];
    default:
      return [p[0][0], p[0][1]];
  }
}

export function splineDomain(s: SplineSegment): P2 {
  return [s.knots[s.degree], s.knots[s.points.length]];
}

/** The last span that begins at or before x and isn't empty, by halving: splines of thousands of points are asked thousands of times. */
function spanAt({ degree, knots, points }: SplineSegment, x: number): number {
  let low = degree;
  let high = points.length - 1;
  while (low < high) {
    const middle = (low + high + 1) >> 1;
    if (knots[middle] <= x) low = middle;
    else high = middle - 1;
  }
  // At the end, where files repeat a knot more often than the degree asks for.
  while (low > degree && knots[low] === knots[low + 1]) low--;
  return low;
}

/** Coordinates of the points of one span, three for each, of the degrees that files use; more are made when needed. */
let boor = new Float64Array(3 * 16);

/** Point and derivative of a NURBS curve at knot value x, by de Boor in homogeneous coordinates. Source: Piegl and Tiller, The NURBS Book, A3.1, A4.1. */
export function splineAt(s: SplineSegment, x: number): { point: P2; velocity: P2 } {
  const { degree: p, knots, points, weights } = s;
  const span = spanAt(s, x);
  if (boor.length < 3 * (p + 1)) boor = new Float64Array(3 * (p + 1));
  const d = boor;
  for (let j = 0, o = 0; j <= p; j++, o += 3) {
    const i = span - p + j;
    const w = weights ? weights[i] : 1;
    d[o] = points[i][0] * w;
    d[o + 1] = points[i][1] * w;
    d[o + 2] = w;
  }
  for (let r = 1; r < p; r++) deBoor(d, knots, span, { x, p, r });
  // The last step's two points give the slope.
  const [last, before] = [3 * p, 3 * p - 3];
  const width = knots[span + 1] - knots[span];
  const rise = (k: number) => (width > 0 && p > 0 ? (p * (d[last + k] - d[before + k])) / width : 0);
  const [sx, sy, sw] = [rise(0), rise(1), rise(2)];
  if (p > 0) deBoor(d, knots, span, { x, p, r: p });
  const w = d[last + 2];
  const point: P2 = [d[last] / w, d[last + 1] / w];
  return { point, velocity: [(sx - sw * point[0]) / w, (sy - sw * point[1]) / w] };
}

/** One round of de Boor's algorithm, in place. */
function deBoor(d: Float64Array, knots: readonly number[], span: number, { x, p, r }: { x: number; p: number; r: number }): void {
  for (let j = p, o = 3 * p; j >= r; j--, o -= 3) {
    const low = knots[span - p + j];
    const high = knots[span + 1 + j - r];
    const f = high > low ? (x - low) / (high - low) : 0;
    for (let k = o; k < o + 3; k++) d[k] = d[k - 3] * (1 - f) + d[k] * f;
  }
}

/** Shares of the parameter at which a spline's knots lie, from 0 to 1. */
export function spansOf(s: SplineSegment): number[] {
  const [from, to] = splineDomain(s);
  const shares = [0];
  for (let i = s.degree + 1; i <= s.points.length; i++) {
    const share = (s.knots[i] - from) / (to - from);
    if (share > shares[shares.length - 1] + 1e-12) shares.push(Math.min(1, share));
  }
  if (shares[shares.length - 1] < 1) shares.push(1);
  return shares;
}

/** The same piece run the other way. */
export function reversed(s: Segment): Segment {
  switch (s.kind) {
    case 'line':
      return { kind: 'line', a: s.b, b: s.a };
    case 'arc':
    case 'ellipse':
      return { ...s, start: s.start + s.sweep, sweep: -s.sweep };
    case 'bezier':
      return { kind: 'bezier', points: [...s.points].reverse() };
    case 'spline': {
      const sum = s.knots[0] + s.knots[s.knots.length - 1];
      return {
        ...s,
        knots: s.knots.map((k) => sum - k).reverse(),
        points: [...s.points].reverse(),
        weights: s.weights ? [...s.weights].reverse() : null,
      };
    }
  }
}

/** The piece between two shares of the parameter (0 <= from < to <= 1); splines only whole. */
export function pieceOf(s: Exclude<Segment, SplineSegment>, from: number, to: number): Segment {
  switch (s.kind) {
    case 'line':
      return { kind: 'line', a: pointAt(s, from), b: pointAt(s, to) };
    case 'arc':
    case 'ellipse':
      return { ...s, start: s.start + s.sweep * from, sweep: s.sweep * (to - from) };
    case 'bezier':
      return { kind: 'bezier', points: bezierHead(bezierTail(s.points, from), from < 1 ? (to - from) / (1 - from) : 1) };
  }
}

function bezierHead(points: P2[], t: number): P2[] {
  const out: P2[] = [];
  let level = points;
  while (level.length > 0) {
    out.push(level[0]);
    level = level.slice(1).map((p, i): P2 => [level[i][0] * (1 - t) + p[0] * t, level[i][1] * (1 - t) + p[1] * t]);
  }
  return out;
}

const bezierTail = (points: P2[], t: number): P2[] => bezierHead([...points].reverse(), 1 - t).reverse();

export const crossOf = (a: readonly number[], b: readonly number[]): number => a[0] * b[1] - a[1] * b[0];
export const distance = (a: readonly number[], b: readonly number[]): number => Math.hypot(a[0] - b[0], a[1] - b[1]);

/** Shares at which an arc or ellipse passes an angle of its own parameter. */
export function sharesOfAngle(s: ArcSegment | EllipseSegment, angle: number): number[] {
  const sign = s.sweep < 0 ? -1 : 1;
  const size = Math.abs(s.sweep);
  let ahead = (sign * (angle - s.start)) % turn;
  if (ahead < 0) ahead += turn;
  return ahead <= size ? [ahead / size] : [];
}

/**
 * An elliptical arc from any two conjugate half diameters: centre + p cos t + q sin t. Comes as a circular arc when it is one.
 * Principal axes by the angle that makes the turned pair perpendicular. Source: Rytz's construction, in closed form.
 */
export function ellipseFrom(centre: P2, [p, q]: readonly [P2, P2], start: number, sweep: number): EllipseSegment | ArcSegment {
  const pp = p[0] ** 2 + p[1] ** 2;
  const qq = q[0] ** 2 + q[1] ** 2;
  const pq = p[0] * q[0] + p[1] * q[1];
  let shift = Math.abs(pq) <= 1e-15 * (pp + qq) ? 0 : Math.atan2(2 * pq, pp - qq) / 2;
  const major: P2 = [p[0] * Math.cos(shift) + q[0] * Math.sin(shift), p[1] * Math.cos(shift) + q[1] * Math.sin(shift)];
  const minor: P2 = [q[0] * Math.cos(shift) - p[0] * Math.sin(shift), q[1] * Math.cos(shift) - p[1] * Math.sin(shift)];
  let [u, v] = [major, minor];
  if (Math.hypot(...v) > Math.hypot(...u)) {
    [u, v] = [minor, [-major[0], -major[1]]];
    shift += Math.PI / 2;
  }
  const length = Math.hypot(...u);
  const side = crossOf(u, v) < 0 ? -1 : 1;
  const ratio = length > 0 ? Math.hypot(...v) / length : 1;
  const from = side * (start - shift);
  if (Math.abs(ratio - 1) < 1e-10) return { kind: 'arc', centre, radius: length, start: from + Math.atan2(u[1], u[0]), sweep: side * sweep };
  return { kind: 'ellipse', centre, u, ratio, start: from, sweep: side * sweep };
}

/**
 * A bulge under this is a line: the arc would rise from its chord by less (bulge / 2 chords) than double precision can place its centre
 * (1 / (4 bulge) chords away, rounded to 1.1e-16): the two are equal at 7.5e-9.
 */
const bulgeNoise = 1e-8;

/** The arc between two points with a bulge: tan(sweep / 4), positive counter-clockwise. A bulge of 0 is a line. Source: DXF Reference, LWPOLYLINE. */
export function fromBulge(a: P2, b: P2, bulge: number): Segment {
  const chord = distance(a, b);
  if (!(Math.abs(bulge) >= bulgeNoise) || !(chord > 0)) return { kind: 'line', a, b };
  const sweep = 4 * Math.atan(bulge);
  const radius = (chord * (1 + bulge * bulge)) / (4 * Math.abs(bulge));
  // The centre lies on the bisector at (1 - bulge^2) / (4 bulge) chords to the left of a -> b.
  const k = (1 - bulge * bulge) / (4 * bulge);
  const centre: P2 = [(a[0] + b[0]) / 2 - k * (b[1] - a[1]), (a[1] + b[1]) / 2 + k * (b[0] - a[0])];
  return { kind: 'arc', centre, radius, start: Math.atan2(a[1] - centre[1], a[0] - centre[0]), sweep };
}

/** The bulge of an arc of less than a full turn. */
export const bulgeOf = (arc: ArcSegment): number => Math.tan(arc.sweep / 4);

/** A full circle, counter-clockwise. */
export const circle = (centre: P2, radius: number): ArcSegment => ({ kind: 'arc', centre, radius, start: 0, sweep: turn });

/** Whether an arc or ellipse is a full turn. */
export const isFull = (s: Segment): boolean => (s.kind === 'arc' || s.kind === 'ellipse') && Math.abs(s.sweep) >= turn - 1e-9;
