import type { P2 } from '../curves/segment.ts';
import { add, cross, dot, lengthOf, scaled, sub, unit, type Vec3 } from '../geometry/vector.ts';
import { Unusable } from '../base/finding.ts';

/** A border of a strip: where it is at t (0 to 1), mm, and how it goes on there. */
export interface Border {
  kind: 'corner' | 'straight' | 'curve';
  at(t: number): Vec3;
  velocity(t: number): Vec3;
}

/** A surface of straight lines from one border to the other at the same t, with one tangent plane along each: it can be developed. */
export interface Strip {
  a: Border;
  b: Border;
}

/** Where a strip begins on the flat: the place of its first border, and the direction of the line to the second, rad. */
export interface Start {
  at: P2;
  angle: number;
}

/** A strip, developed: both borders at t, mm, and where the next strip begins. */
export interface Laid {
  strip: Strip;
  a(t: number): P2;
  b(t: number): P2;
  end: Start;
}

/** Steps by which a strip is laid; one of the fourth order is off by some 1e-12 of its size. */
const steps = 2048;
/** How far the tangents at both ends of a line may lean out of one plane, rad. */
const flatWithin = 1e-6;

/**
 * Lays a developable strip flat: lengths along the borders, lengths of the lines and the angles between them stay. The direction of the line
 * turns on the flat as fast as it turns in its own tangent plane. Method: isometric development of a ruled surface with one tangent plane along
 * each ruling (do Carmo, Differential Geometry of Curves and Surfaces, 3-5 and 4-2), integrated by Runge and Kutta's fourth-order step.
 * Example: `layStrip({ a, b }, { at: [0, 0], angle: Math.PI / 2 })` lays it to the right of its first line.
 * @throws Unusable when the strip has no one tangent plane along a line.
 */
export function layStrip(strip: Strip, start: Start): Laid {
  const n = steps;
  const states = new Float64Array((n + 1) * 3);
  states.set([start.at[0], start.at[1], start.angle]);
  for (let i = 0; i < n; i++) {
    refuseTwisted(strip, (i + 0.5) / n);
    states.set(step(strip, [states[i * 3], states[i * 3 + 1], states[i * 3 + 2]], i / n, 1 / n), (i + 1) * 3);
  }
  const stateAt = (t: number): State => {
    const i = Math.min(n - 1, Math.max(0, Math.floor(t * n)));
    const state: State = [states[i * 3], states[i * 3 + 1], states[i * 3 + 2]];
    return t * n === i ? state : step(strip, state, i / n, t - i / n);
  };
  const a = (t: number): P2 => {
    const [x, y] = stateAt(t);
    return [x, y];
  };
  const b = (t: number): P2 => {
    const [x, y, angle] = stateAt(t);
    const long = lengthOf(sub(strip.b.at(t), strip.a.at(t)));
    return [x + long * Math.cos(angle), y + long * Math.sin(angle)];
  };
  const last = stateAt(1);
  return { strip, a, b, end: { at: [last[0], last[1]], angle: last[2] } };
}

type State = [x: number, y: number, angle: number];

function step(strip: Strip, s: State, t: number, h: number): State {
  const go = (d: State, by: number): State => [s[0] + d[0] * by, s[1] + d[1] * by, s[2] + d[2] * by];
  const k1 = rate(strip, s, t);
  const k2 = rate(strip, go(k1, h / 2), t + h / 2);
  const k3 = rate(strip, go(k2, h / 2), t + h / 2);
  const k4 = rate(strip, go(k3, h), t + h);
  return go([0, 1, 2].map((i) => (k1[i] + 2 * k2[i] + 2 * k3[i] + k4[i]) / 6) as State, h);
}

/** The line at t: its direction, the way across it in the tangent plane, and how far each border goes that way. */
function frameAt(strip: Strip, t: number): { along: Vec3; across: Vec3; va: Vec3; vb: Vec3; long: number } {
  const d = sub(strip.b.at(t), strip.a.at(t));
  const long = lengthOf(d);
  const along = scaled(d, 1 / long);
  const [va, vb] = [strip.a.velocity(t), strip.b.velocity(t)];
  const square = (v: Vec3) => sub(v, scaled(along, dot(v, along)));
  return { along, across: unit(add(square(va), square(vb))), va, vb, long };
}

/** The next line lies on the right of one that points up: turning and going across are both counted so. */
function rate(strip: Strip, [, , angle]: State, t: number): State {
  const { along, across, va, vb, long } = frameAt(strip, t);
  const [c, s] = [Math.cos(angle), Math.sin(angle)];
  const [u, v] = [dot(va, along), dot(va, across)];
  const turning = dot(sub(vb, va), across) / long;
  return [u * c + v * s, u * s - v * c, -turning];
}

function refuseTwisted(strip: Strip, t: number): void {
  const { along, va, vb } = frameAt(strip, t);
  const [n, m] = [cross(va, along), cross(vb, along)];
  const [p, q] = [lengthOf(n), lengthOf(m)];
  if (p === 0 || q === 0 || (dot(n, m) > 0 && lengthOf(cross(n, m)) <= flatWithin * p * q)) return;
  throw new Unusable('twisted', 'These borders can not be joined by sheet that only bends: it would have to twist.', 'Let their planes be parallel.');
}

/** Normal of the strip along the line at t: of length 1, to the side from which the next line lies on the right. */
export function normalOf(strip: Strip, t: number): Vec3 {
  const { along, across } = frameAt(strip, t);
  return cross(across, along);
}

/** Area of a strip in space, mm2: half the way of both borders across each line, times the line (Simpson's rule). */
export function areaOfStrip(strip: Strip, n = 1024): number {
  let sum = 0;
  for (let i = 0; i <= n; i++) {
    const { along, va, vb, long } = frameAt(strip, i / n);
    const wide = (lengthOf(cross(va, along)) + lengthOf(cross(vb, along))) / 2;
    sum += wide * long * (i === 0 || i === n ? 1 : i % 2 === 1 ? 4 : 2);
  }
  return sum / (3 * n);
}

/**
 * The same strip developed another way, as in the workshop: triangle by triangle, each by its three lengths in space.
 * @returns both borders at n + 1 places; off the true ones by some 1 / n2.
 */
export function triangulated(strip: Strip, start: Start, n: number): { a: P2[]; b: P2[]; end: Start } {
  const [A, B] = [strip.a, strip.b];
  const first = lengthOf(sub(B.at(0), A.at(0)));
  const a: P2[] = [start.at];
  const b: P2[] = [[start.at[0] + first * Math.cos(start.angle), start.at[1] + first * Math.sin(start.angle)]];
  for (let i = 0; i < n; i++) {
    const [p, q, r, s] = [A.at(i / n), B.at(i / n), A.at((i + 1) / n), B.at((i + 1) / n)];
    const nextB = lengthOf(sub(s, q)) < 1e-15 ? b[i] : third(a[i], b[i], lengthOf(sub(s, p)), lengthOf(sub(s, q)));
    const nextA = lengthOf(sub(r, p)) < 1e-15 ? a[i] : third(a[i], nextB, lengthOf(sub(r, p)), lengthOf(sub(r, s)));
    a.push(nextA);
    b.push(nextB);
  }
  const [x, y] = [a[n], b[n]];
  return { a, b, end: { at: x, angle: Math.atan2(y[1] - x[1], y[0] - x[0]) } };
}

/** The third corner of a triangle, on the right of the way from p to q, by its distances from both. */
function third(p: P2, q: P2, fromP: number, fromQ: number): P2 {
  const d = Math.hypot(q[0] - p[0], q[1] - p[1]);
  const along = (d * d + fromP * fromP - fromQ * fromQ) / (2 * d);
  const off = Math.sqrt(Math.max(0, fromP * fromP - along * along));
  const [x, y] = [(q[0] - p[0]) / d, (q[1] - p[1]) / d];
  return [p[0] + x * along + y * off, p[1] + y * along - x * off];
}
