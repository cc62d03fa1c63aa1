import { add, cross, distance, dot, lengthOf, scaled, sub, unit, type Vec3 } from '../geometry/vector.ts';
import { bendAbout, endOf, lengthOfPiece, pointOnPiece, type Piece } from './run.ts';

/** Pieces beyond this are not made: a smaller deviation would ask for more. */
const mostPieces = 400;

/**
 * A centre line of points as arcs and straights that touch each other, within a deviation: pairs of arcs between two points with their directions, as
 * far along as they keep it. Source: Bolton, Biarc curves, 1975 (the pair of equal ends; formulas from memory).
 * @param points close together, from end to end, mm @param within largest distance of a point from the pieces, mm
 * @returns the pieces and how far they are off at most; null when more than 400 pieces would be needed
 * @example fittedLine(points, 0.5)?.pieces.length
 */
export function fittedLine(points: readonly Vec3[], within: number): { pieces: Piece[]; off: number } | null {
  const n = points.length;
  const tangents = points.map((_, i) => tangentAt(points, i));
  const pieces: Piece[] = [];
  let off = 0;
  for (let a = 0; a < n - 1;) {
    // The farthest point that a pair of arcs reaches: doubled while it fits, then halved.
    let [good, step] = [a + 1, 1];
    while (a + step < n) {
      if (offOf(points, tangents, [a, a + step]) > within) break;
      good = a + step;
      if (good === n - 1) break;
      step = Math.min(step * 2, n - 1 - a);
    }
    for (let [low, high] = [good, Math.min(a + step, n - 1)]; high - low > 1;) {
      const middle = (low + high) >> 1;
      if (offOf(points, tangents, [a, middle]) <= within) low = good = middle;
      else high = middle;
    }
    off = Math.max(off, offOf(points, tangents, [a, good]));
    pieces.push(...arcPair([points[a], tangents[a]], [points[good], tangents[good]]));
    if (pieces.length > mostPieces) return null;
    a = good;
  }
  return { pieces, off };
}

/** Direction of a row of points at one of them: through its neighbours; at the ends by the parabola through three. */
function tangentAt(points: readonly Vec3[], i: number): Vec3 {
  const n = points.length;
  if (i > 0 && i < n - 1) return unit(sub(points[i + 1], points[i - 1]));
  const [p, q, r] = i === 0 ? [points[0], points[1], points[Math.min(2, n - 1)]] : [points[n - 1], points[n - 2], points[Math.max(0, n - 3)]];
  const d = sub(scaled(sub(q, p), 4), sub(r, p));
  return unit(i === 0 ? d : scaled(d, -1));
}

/** Two arcs that leave one point in its direction and come to the other in its own. */
function arcPair([p, t]: [Vec3, Vec3], [q, u]: [Vec3, Vec3]): Piece[] {
  const v = sub(q, p);
  const [vv, vt, tu] = [dot(v, v), dot(v, add(t, u)), dot(t, u)];
  const k = 2 * (1 - tu);
  const d = k > 1e-9 ? (-vt + Math.sqrt(vt * vt + k * vv)) / k : vv / (2 * vt);
  const joint = scaled(add(add(p, q), scaled(sub(t, u), d)), 0.5);
  const first = arcFrom(p, t, joint);
  return [first, arcFrom(joint, endOf(first), q)];
}

/** The arc (or straight) that leaves a point in a direction and goes through another. */
function arcFrom(p: Vec3, t: Vec3, q: Vec3): Piece {
  const w = sub(q, p);
  const ahead = dot(w, t);
  const side = sub(w, scaled(t, ahead));
  const s = lengthOf(side);
  if (s <= 1e-9 * lengthOf(w)) return { kind: 'straight', from: p, to: q, along: unit(w) };
  const axis = unit(cross(t, side));
  return { ...bendAbout({ from: p, before: t, axis, angle: 2 * Math.atan2(s, ahead) }, dot(w, w) / (2 * s)), to: q };
}

/** How far points between two of them lie from the pair of arcs. */
function offOf(points: readonly Vec3[], tangents: readonly Vec3[], [a, b]: [number, number]): number {
  const pair = arcPair([points[a], tangents[a]], [points[b], tangents[b]]);
  if (pair.some((p) => !Number.isFinite(lengthOfPiece(p)) || (p.kind === 'bend' && p.angle > 3))) return b === a + 1 ? 0 : Infinity;
  const lengths = pair.map(lengthOfPiece);
  const total = lengths[0] + lengths[1];
  let worst = 0;
  let along = 0;
  const whole = chordsBetween(points, a, b);
  for (let i = a + 1; i < b; i++) {
    along += distance(points[i - 1], points[i]);
    // Points stand about as far along both; the nearest of a few places near there.
    const s = (along / whole) * total;
    let least = Infinity;
    for (let k = -4; k <= 4; k++) {
      const at = Math.min(total, Math.max(0, s + (k * total) / 80));
      const p = at <= lengths[0] ? pointOnPiece(pair[0], at) : pointOnPiece(pair[1], at - lengths[0]);
      const w = sub(points[i], p.at);
      least = Math.min(least, lengthOf(sub(w, scaled(p.along, dot(w, p.along)))));
    }
    worst = Math.max(worst, least);
  }
  return worst;
}

function chordsBetween(points: readonly Vec3[], a: number, b: number): number {
  let sum = 0;
  for (let i = a + 1; i <= b; i++) sum += distance(points[i - 1], points[i]);
  return sum;
}
