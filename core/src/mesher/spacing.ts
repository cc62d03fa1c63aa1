import { curveAt } from '../surfaces/curves.ts';
import { distance, type Vec3 } from '../geometry/vector.ts';
import type { BodyEdge } from '../body/body.ts';
import { smoothPieces, type Trace } from '../body/trace.ts';
import type { Bend } from '../surfaces/bend.ts';
import { TooMany } from './too-many.ts';
import { chordSteps, metricOf, type Kind, type Want } from './metric.ts';

/** A face beside an edge. */
export interface Side {
  trace: Trace;
  bend: Bend;
  kind: Kind;
}

/** What an edge is cut by: the faces beside it, whether they are one and the same (a seam: then only its bend counts), what is asked for, the solid's size, mm. */
export interface Cutting {
  sides: readonly Side[];
  seam: boolean;
  want: Want;
  size: number;
}

/** Places looked at in each smooth piece; of splines, whose bend may come and go within one. */
const looks = 6;
const splineLooks = 16;
/** Chords of an edge at most. */
const mostChords = 200_000;
/** How often chords are made shorter until they keep what was asked. */
const mostTries = 8;
/** Up to this share of the chords of an edge are halved by themselves. */
const fewBad = 0.25;

/**
 * Parameters at which an edge is cut into chords, both ends among them: as many as the stricter of its two faces, or its own bend, asks for, evenly by that.
 * @param least chords at least
 * @throws TooMany
 */
export function placesOn(edge: BodyEdge, cutting: Cutting, least: number): Float64Array {
  const stops = [edge.from, ...kinksOf(edge), edge.to];
  if (stops.length === 2) return placesBetween(edge, cutting, least);
  const pieces = stops.slice(1).map((to, i) => placesBetween({ ...edge, from: stops[i], to }, cutting, Math.ceil(least / (stops.length - 1))));
  return Float64Array.from(pieces.flatMap((piece, i) => [...(i === 0 ? piece : piece.subarray(1))]));
}

/** Tangents that differ by more than this, rad, make a kink; how far beside a knot they are looked at, in shares of its span. */
const kinked = 1e-3;
const beside = 1e-7;

/** Where a spline has a kink: at knots that stand as often as its degree, when its tangents differ to both sides. */
function kinksOf({ curve, from, to }: BodyEdge): number[] {
  if (curve.kind !== 'bspline') return [];
  const { knots, degree } = curve;
  const out: number[] = [];
  for (let i = 1; i + degree - 1 < knots.length; i++) {
    const at = knots[i];
    if (!(at > from && at < to) || knots[i - 1] === at || knots[i + degree - 1] !== at) continue;
    const step = beside * (at - knots[i - 1]);
    const [a, b] = [curveAt(curve, at - step, 1).d1, curveAt(curve, at + step, 1).d1];
    const [x, y] = [Math.hypot(...a), Math.hypot(...b)];
    if (distance(a.map((t) => t / x) as Vec3, b.map((t) => t / y) as Vec3) > kinked) out.push(at);
  }
  return out;
}

function placesBetween(edge: BodyEdge, cutting: Cutting, least: number): Float64Array {
  const { curve, from, to } = edge;
  const { sides, seam, want } = cutting;
  const straight = curve.kind === 'line';
  if (straight && sides.every((s) => s.kind === 'flat')) return even(edge, [0, 1], [from, to], least);
  const steady = isSteady(edge, sides);
  const { ts, sums } = summed(edge, cutting, steady);
  const total = sums[sums.length - 1];
  if (!(total < mostChords)) throw new TooMany(`One edge alone would have more than ${mostChords.toLocaleString('en')} chords.`);
  let n = Math.max(least, Math.ceil(total - 1e-6));
  for (let tries = 0; ; tries++) {
    const places = even(edge, sums, ts, n);
    if (straight || seam || tries === mostTries) return places;
    const offs = chordsOff(edge, steady ? places.subarray(0, 2) : places);
    const bad: number[] = [];
    let most = 0;
    offs.forEach((off, i) => {
      most = Math.max(most, off);
      if (off > want.deviation * (1 + 1e-9)) bad.push(i);
    });
    if (bad.length === 0) return places;
    // A few that are too far off are halved; where many are, all become shorter: heights of arcs go with the square of their lengths.
    if (!steady && bad.length <= n * fewBad) return Float64Array.from([...places, ...bad.map((i) => (places[i] + places[i + 1]) / 2)]).sort();
    n = Math.max(n + 1, Math.ceil(n * Math.min(2, Math.sqrt(most / want.deviation))));
  }
}

/** Chords summed up along an edge: parameters, and how many it asks for from its beginning to each. */
function summed(edge: BodyEdge, cutting: Cutting, steady: boolean): { ts: number[]; sums: number[] } {
  const { curve, from, to } = edge;
  const cuts = steady ? [from, to] : smoothPieces(curve, from, to);
  const count = steady ? 1 : curve.kind === 'bspline' ? splineLooks : looks;
  const ts = [from];
  const sums = [0];
  for (let i = 1; i < cuts.length; i++) {
    const step = (cuts[i] - cuts[i - 1]) / count;
    for (let k = 0; k < count; k++) {
      const t = cuts[i - 1] + (k + 0.5) * step;
      ts.push(t + step / 2);
      sums.push(sums[sums.length - 1] + densityAt(edge, t, cutting) * step);
    }
  }
  return { ts, sums };
}

/** Whether an edge is bent alike all along, and lies alike on both faces: a circle between planes and surfaces round its axis. All of its chords are alike then. */
function isSteady({ curve }: BodyEdge, sides: readonly Side[]): boolean {
  if (curve.kind !== 'circle') return false;
  return sides.every(({ kind, trace }) => kind === 'flat' || ('frame' in trace.surface && trace.straight && trace.first[1] === trace.last[1]));
}

const form = new Float64Array(3);
const uv = new Float64Array(4);

/** Chords per parameter. */
function densityAt(edge: BodyEdge, t: number, { sides, seam, want, size }: Cutting): number {
  let most = 0;
  if (!seam && edge.curve.kind !== 'line') {
    const { d1, d2 } = curveAt(edge.curve, t);
    const speed = Math.hypot(d1[0], d1[1], d1[2]);
    const c = Math.hypot(d1[1] * d2[2] - d1[2] * d2[1], d1[2] * d2[0] - d1[0] * d2[2], d1[0] * d2[1] - d1[1] * d2[0]);
    if (speed > 0) most = chordSteps(speed, c / speed ** 3, want);
  }
  for (const { trace, bend, kind } of sides) {
    if (kind === 'flat') continue;
    trace.at(t, uv);
    bend.look(uv[0], uv[1]);
    // Points of edges lie on both faces, whatever those within may do.
    metricOf(bend, kind, { want: want.balanced ? { ...want, balanced: false } : want, size }, form);
    most = Math.max(most, Math.sqrt(Math.max(0, form[0] * uv[2] * uv[2] + 2 * form[1] * uv[2] * uv[3] + form[2] * uv[3] * uv[3])) || 0);
  }
  return most;
}

/** n chords of equal shares of what was summed up along an edge. */
function even({ from, to }: BodyEdge, sums: readonly number[], ts: readonly number[], n: number): Float64Array {
  const out = new Float64Array(n + 1);
  const total = sums[sums.length - 1];
  out[0] = from;
  for (let i = 1, k = 1; i < n; i++) {
    if (!(total > 0)) out[i] = from + ((to - from) * i) / n;
    else {
      const share = (total * i) / n;
      while (sums[k] < share && k < sums.length - 1) k++;
      const within = (share - sums[k - 1]) / (sums[k] - sums[k - 1] || 1);
      out[i] = ts[k - 1] + within * (ts[k] - ts[k - 1]);
    }
  }
  out[n] = to;
  return out;
}

/** How far the middle of each chord lies from its arc, mm. */
function chordsOff({ curve }: BodyEdge, places: Float64Array): Float64Array {
  const out = new Float64Array(places.length - 1);
  let a = curveAt(curve, places[0], 1).at;
  for (let i = 1; i < places.length; i++) {
    const b = curveAt(curve, places[i], 1).at;
    out[i - 1] = fromChord(curveAt(curve, (places[i - 1] + places[i]) / 2, 1).at, a, b);
    a = b;
  }
  return out;
}

/** Distance of a point from the line through two others, mm. */
export function fromChord(p: Vec3, a: Vec3, b: Vec3): number {
  const [x, y, z] = [b[0] - a[0], b[1] - a[1], b[2] - a[2]];
  const length = x * x + y * y + z * z;
  const s = length > 0 ? ((p[0] - a[0]) * x + (p[1] - a[1]) * y + (p[2] - a[2]) * z) / length : 0;
  return distance(p, [a[0] + s * x, a[1] + s * y, a[2] + s * z]);
}
