import type { BezierSegment, P2 } from '../curves/segment.ts';

/** Places on either side that the direction at a place is taken from. */
const tangentReach = 5;
/** Rounds of moving places along a curve and fitting it again. */
const rounds = 8;

/**
 * Cubic Béziers through places in order, each within `near` of the places between its ends, in one direction where they join: each as long as it
 * can be. Source of the fit: P. Schneider, An algorithm for automatically fitting digitized curves, Graphics Gems 1990.
 * @param ends unit directions at the first place and (forward) at the last
 */
export function beziersThrough(places: readonly P2[], near: number, ends: [P2, P2]): BezierSegment[] {
  const last = places.length - 1;
  const direction = (i: number): P2 => (i === 0 ? ends[0] : i === last ? ends[1] : directionAt(places, i));
  const out: BezierSegment[] = [];
  for (let from = 0; from < last;) {
    const fitted = (to: number) => fit(places.slice(from, to + 1), direction(from), direction(to), near);
    const [curve, to] = longest(fitted, from, last);
    out.push(curve);
    from = to;
  }
  return out;
}

/** The longest curve that holds: steps that double, then halving. Two places always have one. */
function longest(fitted: (to: number) => BezierSegment | null, from: number, last: number): [BezierSegment, number] {
  let good = Math.min(last, from + 1);
  let curve = fitted(good)!;
  let bad = last + 1;
  for (let step = 2; good < last; step *= 2) {
    const to = Math.min(last, from + step);
    const next = fitted(to);
    if (!next) {
      bad = to;
      break;
    }
    [good, curve] = [to, next];
  }
  while (bad - good > 1) {
    const middle = (good + bad) >> 1;
    const next = fitted(middle);
    if (next) [good, curve] = [middle, next];
    else bad = middle;
  }
  return [curve, good];
}

/** Direction of a row at one of its places: as far to one side as to the other, or it would be that of a place beside it. */
function directionAt(p: readonly P2[], i: number): P2 {
  const beside = Math.min(tangentReach, i, p.length - 1 - i);
  const [x, y] = [p[i + beside][0] - p[i - beside][0], p[i + beside][1] - p[i - beside][1]];
  const length = Math.hypot(x, y) || 1;
  return [x / length, y / length];
}

/** One curve through places from one direction into another; null when a place lies farther off. */
function fit(p: readonly P2[], ahead: P2, onward: P2, near: number): BezierSegment | null {
  const back: P2 = [-onward[0], -onward[1]];
  const last = p[p.length - 1];
  if (p.length < 3) {
    const third = Math.hypot(last[0] - p[0][0], last[1] - p[0][1]) / 3;
    return { kind: 'bezier', points: [p[0], along(p[0], ahead, third), along(last, back, third), last] };
  }
  let shares = lengthsOf(p);
  let curve = cubic(p, shares, ahead, back);
  let off = farthestFrom(curve, p, shares);
  for (let round = 0; round < rounds && off > near && off < near * 30; round++) {
    shares = shares.map((t, i) => nearer(curve, p[i], t));
    curve = cubic(p, shares, ahead, back);
    off = farthestFrom(curve, p, shares);
  }
  return off <= near ? curve : null;
}

const along = (p: P2, d: P2, by: number): P2 => [p[0] + d[0] * by, p[1] + d[1] * by];

function lengthsOf(p: readonly P2[]): number[] {
  const out = [0];
  for (let i = 1; i < p.length; i++) out.push(out[i - 1] + Math.hypot(p[i][0] - p[i - 1][0], p[i][1] - p[i - 1][1]));
  const total = out[out.length - 1] || 1;
  return out.map((v) => v / total);
}

const basis = (t: number): [number, number, number, number] => [(1 - t) ** 3, 3 * t * (1 - t) ** 2, 3 * t * t * (1 - t), t ** 3];

/** Least squares for the two lengths of the handles. */
function cubic(p: readonly P2[], at: readonly number[], ahead: P2, back: P2): BezierSegment {
  const [first, last] = [p[0], p[p.length - 1]];
  let [aa, ab, bb, ax, bx] = [0, 0, 0, 0, 0];
  p.forEach((q, i) => {
    const [b0, b1, b2, b3] = basis(at[i]);
    const [ux, uy, vx, vy] = [ahead[0] * b1, ahead[1] * b1, back[0] * b2, back[1] * b2];
    const [rx, ry] = [q[0] - first[0] * (b0 + b1) - last[0] * (b2 + b3), q[1] - first[1] * (b0 + b1) - last[1] * (b2 + b3)];
    aa += ux * ux + uy * uy;
    ab += ux * vx + uy * vy;
    bb += vx * vx + vy * vy;
    ax += ux * rx + uy * ry;
    bx += vx * rx + vy * ry;
  });
  const det = aa * bb - ab * ab;
  const chord = Math.hypot(last[0] - first[0], last[1] - first[1]);
  let [left, right] = det > 1e-12 * aa * bb ? [(ax * bb - bx * ab) / det, (aa * bx - ab * ax) / det] : [0, 0];
  // Handles that point back or reach too far make loops: a third of the chord is the usual stand-in (Schneider).
  if (!(left > 1e-3 * chord) || !(right > 1e-3 * chord) || left > 4 * chord || right > 4 * chord) [left, right] = [chord / 3, chord / 3];
  return { kind: 'bezier', points: [first, along(first, ahead, left), along(last, back, right), last] };
}

function at({ points: p }: BezierSegment, t: number): P2 {
  const b = basis(t);
  return [b[0] * p[0][0] + b[1] * p[1][0] + b[2] * p[2][0] + b[3] * p[3][0], b[0] * p[0][1] + b[1] * p[1][1] + b[2] * p[2][1] + b[3] * p[3][1]];
}

function farthestFrom(curve: BezierSegment, p: readonly P2[], places: readonly number[]): number {
  let most = 0;
  p.forEach((q, i) => {
    const [x, y] = at(curve, places[i]);
    most = Math.max(most, Math.hypot(q[0] - x, q[1] - y));
  });
  return most;
}

/** One step of Newton's method towards the nearest place of the curve. */
function nearer(curve: BezierSegment, q: P2, t: number): number {
  const p = curve.points;
  const u = 1 - t;
  const [x, y] = at(curve, t);
  const d1: number[] = [];
  const d2: number[] = [];
  for (let k = 0; k < 2; k++) {
    d1.push(3 * (u * u * (p[1][k] - p[0][k]) + 2 * u * t * (p[2][k] - p[1][k]) + t * t * (p[3][k] - p[2][k])));
    d2.push(6 * (u * (p[2][k] - 2 * p[1][k] + p[0][k]) + t * (p[3][k] - 2 * p[2][k] + p[1][k])));
  }
  const over = (x - q[0]) * d1[0] + (y - q[1]) * d1[1];
  const under = d1[0] ** 2 + d1[1] ** 2 + (x - q[0]) * d2[0] + (y - q[1]) * d2[1];
  const next = under !== 0 ? t - over / under : t;
  return Number.isFinite(next) ? Math.min(1, Math.max(0, next)) : t;
}
