import { derivativeOf, productOf, rootsOf } from './bernstein.ts';
import { spanCurves } from './spline.ts';
import {
  crossOf,
  pointAt,
  sharesOfAngle,
  spansOf,
  turn,
  velocityAt,
  type ArcSegment,
  type P2,
  type EllipseSegment,
  type LineSegment,
  type Segment,
} from './segment.ts';

/** Nodes and weights of Gauss-Legendre quadrature with 3 and 8 points on 0..1. Source: Abramowitz and Stegun, table 25.4. */
const gauss3 = rule([0, 0.774596669241483], [0.888888888888889, 0.555555555555556]);
const gauss8 = rule(
  [0.183434642495649805, 0.525532409916328986, 0.796666477413626740, 0.960289856497536232],
  [0.362683783378361983, 0.313706645877887287, 0.222381034453374471, 0.101228536290376259],
); // prettier-ignore

function rule(nodes: number[], weights: number[]): [number, number][] {
  return nodes.flatMap((x, i): [number, number][] => (x === 0 ? [[0.5, weights[i] / 2]] : [[(1 - x) / 2, weights[i] / 2], [(1 + x) / 2, weights[i] / 2]])); // prettier-ignore
}

function integral(f: (t: number) => number, from: number, to: number, points: [number, number][]): number {
  let sum = 0;
  for (const [x, w] of points) sum += w * f(from + (to - from) * x);
  return sum * (to - from);
}

/** How near an integral is wanted, as a share of itself, and how often its range is halved at most. */
const lengthShare = 1e-12;
const mostHalvings = 12;

function adaptive(f: (t: number) => number, [from, to]: readonly [number, number], whole: number, depth = mostHalvings): number {
  const middle = (from + to) / 2;
  const left = integral(f, from, middle, gauss8);
  const right = integral(f, middle, to, gauss8);
  if (depth === 0 || Math.abs(left + right - whole) <= lengthShare * (1e-300 + Math.abs(whole))) return left + right;
  return adaptive(f, [from, middle], left, depth - 1) + adaptive(f, [middle, to], right, depth - 1);
}

/** Length of a piece, mm: exact for lines and arcs, by quadrature to 1e-12 for the rest. */
export function lengthOf(s: Segment): number {
  if (s.kind === 'line') return Math.hypot(s.b[0] - s.a[0], s.b[1] - s.a[1]);
  if (s.kind === 'arc') return Math.abs(s.sweep) * s.radius;
  const speed = s.kind === 'bezier' && s.points.length === 4 ? cubicSpeed(s.points) : speedOf(s);
  const cuts = s.kind === 'spline' ? spansOf(s) : s.kind === 'ellipse' ? quarterCuts(s) : [0, 1];
  let sum = 0;
  for (let i = 1; i < cuts.length; i++) sum += adaptive(speed, [cuts[i - 1], cuts[i]], integral(speed, cuts[i - 1], cuts[i], gauss8));
  return sum;
}

const speedOf = (s: Segment) => (t: number): number => {
  const [x, y] = velocityAt(s, t);
  return Math.hypot(x, y);
}; // prettier-ignore

/** Letters have thousands of these, and each is asked two dozen times. */
function cubicSpeed([p, q, r, s]: readonly P2[]): (t: number) => number {
  const [ax, ay, bx, by, cx, cy] = [3 * (q[0] - p[0]), 3 * (q[1] - p[1]), 6 * (r[0] - q[0]), 6 * (r[1] - q[1]), 3 * (s[0] - r[0]), 3 * (s[1] - r[1])];
  return (t) => {
    const u = 1 - t;
    const [x, y] = [u * u * ax + u * t * bx + t * t * cx, u * u * ay + u * t * by + t * t * cy];
    return Math.sqrt(x * x + y * y);
  };
}

function quarterCuts(s: EllipseSegment): number[] {
  const n = Math.max(1, Math.ceil(Math.abs(s.sweep) / (Math.PI / 4)));
  return Array.from({ length: n + 1 }, (_, i) => i / n);
}

/**
 * Half the integral of x dy - y dx along the piece, mm2: what it adds to the area of a closed contour.
 * Closed form for lines, arcs and ellipses; Gauss quadrature, exact for the polynomial degree, for the rest. Source: Green's theorem.
 */
export function areaUnder(s: Segment): number {
  switch (s.kind) {
    case 'line':
      return (s.a[0] * s.b[1] - s.a[1] * s.b[0]) / 2;
    case 'arc':
    case 'ellipse': {
      const a = pointAt(s, 0);
      const b = pointAt(s, 1);
      const own = s.kind === 'arc' ? s.radius ** 2 : s.ratio * (s.u[0] ** 2 + s.u[1] ** 2);
      return (own * s.sweep + s.centre[0] * (b[1] - a[1]) - s.centre[1] * (b[0] - a[0])) / 2;
    }
    case 'bezier':
      return integral((t) => crossOf(pointAt(s, t), velocityAt(s, t)), 0, 1, gauss3) / 2;
    case 'spline': {
      const cuts = spansOf(s);
      const f = (t: number) => crossOf(pointAt(s, t), velocityAt(s, t));
      let sum = 0;
      for (let i = 1; i < cuts.length; i++) {
        const whole = integral(f, cuts[i - 1], cuts[i], gauss8);
        sum += s.weights || s.degree > 8 ? adaptive(f, [cuts[i - 1], cuts[i]], whole) : whole;
      }
      return sum / 2;
    }
  }
}

/** A box in the plane: [left, bottom, right, top], mm. */
export type Box2 = [number, number, number, number];
export const noBox = (): Box2 => [Infinity, Infinity, -Infinity, -Infinity];

export function growBox(box: Box2, p: readonly number[]): void {
  if (p[0] < box[0]) box[0] = p[0];
  if (p[1] < box[1]) box[1] = p[1];
  if (p[0] > box[2]) box[2] = p[0];
  if (p[1] > box[3]) box[3] = p[1];
}

/** Grows a box by all of a piece, its bulges included. */
export function growBySegment(box: Box2, s: Segment): void {
  if (s.kind === 'line') {
    growBox(box, s.a);
    growBox(box, s.b);
    return;
  }
  if (s.kind === 'arc') return growByArc(box, s);
  growBox(box, pointAt(s, 0));
  growBox(box, pointAt(s, 1));
  for (const t of extremes(s)) growBox(box, pointAt(s, t));
}

/** The ends of an arc and those of its four extremes that lie on it; without allocation, since drawings have many. */
function growByArc(box: Box2, { centre: [x, y], radius: r, start, sweep }: ArcSegment): void {
  const low = sweep < 0 ? start + sweep : start;
  const size = Math.abs(sweep);
  if (size < turn) {
    growXy(box, x + r * Math.cos(low), y + r * Math.sin(low));
    growXy(box, x + r * Math.cos(low + size), y + r * Math.sin(low + size));
  }
  for (let q = 0; q < 4; q++) {
    let ahead = ((q * Math.PI) / 2 - low) % turn;
    if (ahead < 0) ahead += turn;
    if (ahead <= size) growXy(box, q === 0 ? x + r : q === 2 ? x - r : x, q === 1 ? y + r : q === 3 ? y - r : y);
  }
}

function growXy(box: Box2, x: number, y: number): void {
  if (x < box[0]) box[0] = x;
  if (y < box[1]) box[1] = y;
  if (x > box[2]) box[2] = x;
  if (y > box[3]) box[3] = y;
}

/** Shares of the parameter at which x or y turns round. */
function extremes(s: Exclude<Segment, LineSegment | ArcSegment>): number[] {
  if (s.kind === 'ellipse') {
    const ax = Math.atan2(-s.u[1] * s.ratio, s.u[0]);
    const ay = Math.atan2(s.u[0] * s.ratio, s.u[1]);
    return [ax, ax + Math.PI, ay, ay + Math.PI].flatMap((a) => sharesOfAngle(s, a));
  }
  const found: number[] = [];
  const spans = s.kind === 'spline' ? spanCurves(s) : [{ from: 0, to: 1, x: s.points.map((p) => p[0]), y: s.points.map((p) => p[1]), w: null }];
  for (const { from, to, x, y, w } of spans) {
    // Two spans may meet in a corner.
    if (from > 0) found.push(from);
    for (const k of [x, y]) for (const t of turningPoints(k, w)) found.push(from + (to - from) * t);
  }
  return found;
}

/** Where a coordinate (times its weight) turns round, from the exact derivative: k' or, when rational, k' w - k w'. */
function turningPoints(k: number[], w: number[] | null): number[] {
  if (w === null) {
    // Control points that never turn back give a curve that never does.
    const rising = k.every((v, i) => i === 0 || v >= k[i - 1]);
    if (rising || k.every((v, i) => i === 0 || v <= k[i - 1])) return [];
    return rootsOf(derivativeOf(k));
  }
  const [a, b] = [productOf(derivativeOf(k), w), productOf(k, derivativeOf(w))];
  return rootsOf(a.map((v, i) => v - b[i]));
}
