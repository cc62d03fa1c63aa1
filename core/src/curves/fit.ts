import type { Contour, Drawing } from './drawing.ts';
import { circleThrough } from './check.ts';
import { flattenInto } from './flatten.ts';
import { circle, crossOf, distance, fromBulge, isFull, startOf, turn, type ArcSegment, type P2, type Segment } from './segment.ts';
import { append, largestOf } from '../base/rows.ts';

/** What fitting did. */
export interface Fitted<T> {
  result: T;
  /** Largest distance between what was and what is, measured, mm. */
  measured: number;
  before: number;
  after: number;
}

/** An arc has to stand for at least this many lines; fewer may be corners. */
const fewestLines = 3;
/** Shares of the deviation at which the pieces are looked for: the tightest that needs fewest pieces keeps junctions and tangents where they were. */
const levels = [1 / 256, 1 / 64, 1 / 16, 1 / 4, 1];

/**
 * Lines and arcs instead of runs of short lines, Béziers, splines and ellipses, within `deviation` mm of them. Arcs and long lines that
 * are there already stay. Greedy longest pieces, which is fewest for a given start; both corners and the chords between them are held
 * against each piece. Source of the one-parameter arc through two ends: Piegl, Curve fitting algorithm for rough cutting, 1986 (from memory).
 * @param curves false leaves Béziers, splines and ellipses as they are and fits only runs of lines.
 */
export function fitContour(contour: Contour, deviation: number, curves = true): Fitted<Contour> {
  const before = contour.segments.length;
  const fits = (s: Segment) => s.kind === 'line' || (curves && s.kind !== 'arc');
  if (!contour.segments.some(fits)) return { result: contour, measured: 0, before, after: before };
  const segments = [...contour.segments];
  // A closed contour begins after a piece that stays, so that no run is cut in two.
  if (contour.closed) {
    const stay = segments.findIndex((s) => !fits(s));
    if (stay > 0) segments.push(...segments.splice(0, stay));
    else if (stay < 0) return fitRing(contour, deviation, before);
  }
  const out: Segment[] = [];
  let measured = 0;
  for (let i = 0; i < segments.length;) {
    if (!fits(segments[i])) {
      out.push(segments[i++]);
      continue;
    }
    let j = i;
    while (j < segments.length && fits(segments[j])) j++;
    const run = pointsOf(segments.slice(i, j), deviation);
    const done = fitRun(run.points, deviation - run.lost);
    append(out, done.segments);
    measured = Math.max(measured, done.measured + run.lost);
    i = j;
  }
  return { result: { ...contour, segments: out }, measured, before, after: out.length };
}

/** All contours of a drawing. */
export function fitDrawing(drawing: Drawing, deviation: number, curves = true): Fitted<Drawing> {
  let measured = 0;
  let before = 0;
  let after = 0;
  const layers = drawing.layers.map((layer) => ({
    ...layer,
    contours: layer.contours.map((c) => {
      const done = fitContour(c, deviation, curves);
      measured = Math.max(measured, done.measured);
      before += done.before;
      after += done.after;
      return done.result;
    }),
  }));
  return { result: { ...drawing, layers }, measured, before, after };
}

/** Corner points of a run; curves as points within an eighth of the deviation, which is lost then. */
function pointsOf(segments: Segment[], deviation: number): { points: P2[]; lost: number } {
  const points: P2[] = [startOf(segments[0])];
  let lost = 0;
  for (const s of segments) {
    if (s.kind !== 'line') lost = deviation / 8;
    flattenInto(s, deviation / 8, points);
  }
  return { points, lost };
}

function fitRing(contour: Contour, deviation: number, before: number): Fitted<Contour> {
  const { points, lost } = pointsOf(contour.segments, deviation);
  if (distance(points[0], points[points.length - 1]) <= deviation * 1e-3) points.pop();
  const round = fullCircle(points, deviation - lost);
  if (round) return { result: { ...contour, segments: [round.arc] }, measured: round.measured + lost, before, after: 1 };
  // Begin where the longest line begins when it stands out, else at the sharpest corner: a piece ends there in any case.
  const n = points.length;
  const lengths = points.map((p, i) => distance(p, points[(i + 1) % n]));
  const longest = lengths.indexOf(largestOf(lengths, (l) => l));
  const median = [...lengths].sort((a, b) => a - b)[n >> 1];
  let first = longest;
  if (lengths[longest] < 2 * median) {
    let sharpest = -1;
    for (let i = 0; i < n; i++) {
      const a = points[(i + n - 1) % n];
      const b = points[i];
      const c = points[(i + 1) % n];
      const [u, v]: P2[] = [
        [b[0] - a[0], b[1] - a[1]],
        [c[0] - b[0], c[1] - b[1]],
      ];
      const bend = Math.abs(Math.atan2(crossOf(u, v), u[0] * v[0] + u[1] * v[1]));
      if (bend > sharpest + 1e-9) {
        sharpest = bend;
        first = i;
      }
    }
  }
  const ring = [...points.slice(first), ...points.slice(0, first), points[first]];
  const done = fitRun(ring, deviation - lost);
  return { result: { ...contour, segments: done.segments }, measured: done.measured + lost, before, after: done.segments.length };
}

/** A circle for a whole ring of points, when it is one within the deviation. Centre by least squares (Kåsa, 1976). */
function fullCircle(points: P2[], deviation: number): { arc: ArcSegment; measured: number } | null {
  const n = points.length;
  if (n < 8) return null;
  let mx = 0;
  let my = 0;
  for (const p of points) {
    mx += p[0] / n;
    my += p[1] / n;
  }
  let [xx, xy, yy, xr, yr] = [0, 0, 0, 0, 0];
  for (const p of points) {
    const x = p[0] - mx;
    const y = p[1] - my;
    const r = x * x + y * y;
    xx += x * x;
    xy += x * y;
    yy += y * y;
    xr += x * r;
    yr += y * r;
  }
  const d = 2 * (xx * yy - xy * xy);
  if (!(Math.abs(d) > 0)) return null;
  const centre: P2 = [mx + (yy * xr - xy * yr) / d, my + (xx * yr - xy * xr) / d];
  const distances = points.map((p) => distance(p, centre));
  const radius = distances.reduce((s, r) => s + r, 0) / n;
  let measured = 0;
  let total = 0;
  for (let i = 0; i < n; i++) {
    measured = Math.max(measured, Math.abs(distances[i] - radius));
    const p = points[i];
    const q = points[(i + 1) % n];
    const step = Math.atan2(
      crossOf([p[0] - centre[0], p[1] - centre[1]], [q[0] - centre[0], q[1] - centre[1]]),
      (p[0] - centre[0]) * (q[0] - centre[0]) + (p[1] - centre[1]) * (q[1] - centre[1]),
    );
    measured = Math.max(measured, Math.abs(radius - distance([(p[0] + q[0]) / 2, (p[1] + q[1]) / 2], centre)));
    total += step;
  }
  if (measured > deviation || Math.abs(Math.abs(total) - turn) > 1e-6) return null;
  const arc = circle(centre, radius);
  arc.start = Math.atan2(points[0][1] - centre[1], points[0][0] - centre[0]);
  if (total < 0) arc.sweep = -turn;
  return { arc, measured };
}

/** Lines and arcs along a run of points. */
function fitRun(points: P2[], deviation: number): { segments: Segment[]; measured: number } {
  let best: { segments: Segment[]; measured: number } | null = null;
  for (const level of levels) {
    const done = greedy(points, deviation * level);
    if (!best || done.segments.length < best.segments.length) best = done;
  }
  return best!;
}

function greedy(points: P2[], deviation: number): { segments: Segment[]; measured: number } {
  const segments: Segment[] = [];
  let measured = 0;
  const last = points.length - 1;
  for (let i = 0; i < last;) {
    const line = longest([i, last], 1, (j) => lineOff(points, i, j), deviation);
    const arc = longest([i, last], fewestLines, (j) => arcThrough(points, i, j, deviation).off, deviation);
    if (arc.to > line.to && arc.to - i >= fewestLines) {
      segments.push(fromBulge(points[i], points[arc.to], arcThrough(points, i, arc.to).bulge));
      measured = Math.max(measured, arc.off);
      i = arc.to;
    } else {
      segments.push({ kind: 'line', a: points[i], b: points[line.to] });
      measured = Math.max(measured, line.off);
      i = line.to;
    }
  }
  return { segments, measured };
}

/** The furthest j for which a piece keeps the deviation: doubling steps, then halving. */
function longest([i, last]: readonly [number, number], least: number, off: (j: number) => number, deviation: number): { to: number; off: number } {
  let good = Math.min(i + 1, last);
  let goodOff = 0;
  let step = least;
  let bad = last + 1;
  for (;;) {
    const j = Math.min(last, i + step);
    if (j <= good && step > least) break;
    const o = off(j);
    if (o > deviation) {
      bad = j;
      break;
    }
    good = j;
    goodOff = o;
    if (j === last) break;
    step *= 2;
  }
  while (bad - good > 1) {
    const j = (good + bad) >> 1;
    const o = j - i < least ? Infinity : off(j);
    if (o > deviation) bad = j;
    else {
      good = j;
      goodOff = o;
    }
  }
  return { to: good, off: goodOff };
}

/** Largest distance of points i..j from the line between i and j; infinite when they run back. */
function lineOff(points: P2[], i: number, j: number): number {
  const a = points[i];
  const dx = points[j][0] - a[0];
  const dy = points[j][1] - a[1];
  const length = Math.hypot(dx, dy);
  if (!(length > 0)) return j === i + 1 ? 0 : Infinity;
  let off = 0;
  let along = 0;
  for (let k = i + 1; k < j; k++) {
    const x = points[k][0] - a[0];
    const y = points[k][1] - a[1];
    off = Math.max(off, Math.abs(dx * y - dy * x) / length);
    const t = (dx * x + dy * y) / length;
    if (t < along - off - 1e-12 || t > length + off) return Infinity;
    along = Math.max(along, t);
  }
  return off;
}

/** The arc through points i and j that lies nearest to those between (least squares of the centre along the bisector), and how far they and their chords are off; none, once that is more than `most`. */
function arcThrough(points: P2[], i: number, j: number, most = Infinity): { bulge: number; off: number } {
  const none = { bulge: 0, off: Infinity };
  const a = points[i];
  const b = points[j];
  const mx = (a[0] + b[0]) / 2;
  const my = (a[1] + b[1]) / 2;
  const chord = distance(a, b);
  let centre: P2 | null;
  if (chord > 0) {
    const nx = -(b[1] - a[1]) / chord;
    const ny = (b[0] - a[0]) / chord;
    const w = (chord * chord) / 4;
    let top = 0;
    let under = 0;
    for (let k = i + 1; k < j; k++) {
      const x = points[k][0] - mx;
      const y = points[k][1] - my;
      const q = x * nx + y * ny;
      top += (x * x + y * y - w) * q;
      under += q * q;
    }
    if (!(under > 0)) return none;
    const h = top / (2 * under);
    centre = [mx + nx * h, my + ny * h];
  } else centre = circleThrough(a, points[(i + j) >> 1], points[(i + ((j - i) >> 2)) | 0]);
  if (!centre || !Number.isFinite(centre[0])) return none;
  const r = distance(centre, a);
  let off = 0;
  let total = 0;
  let sign = 0;
  for (let k = i; k < j; k++) {
    const px = points[k][0] - centre[0];
    const py = points[k][1] - centre[1];
    const qx = points[k + 1][0] - centre[0];
    const qy = points[k + 1][1] - centre[1];
    // Roots instead of hypot: these two lines are run for every point of every try.
    off = Math.max(off, Math.abs(r - Math.sqrt(((px + qx) / 2) ** 2 + ((py + qy) / 2) ** 2)));
    if (k > i) off = Math.max(off, Math.abs(Math.sqrt(px * px + py * py) - r));
    if (off > most) return none;
    const step = Math.atan2(px * qy - py * qx, px * qx + py * qy);
    if (sign === 0) sign = Math.sign(step);
    if (step * sign <= 0 || Math.abs(step) > 1.6) return none;
    total += step;
  }
  if (Math.abs(total) > turn * 0.98 || chord === 0) return none;
  return { bulge: Math.tan(total / 4), off };
}

/** Lines only, fewest within a deviation; arcs and curves that are there stay. */
export function simplifyContour(contour: Contour, deviation: number): Fitted<Contour> {
  const before = contour.segments.length;
  const out: Segment[] = [];
  let measured = 0;
  for (let i = 0; i < contour.segments.length;) {
    if (contour.segments[i].kind !== 'line') {
      out.push(contour.segments[i++]);
      continue;
    }
    let j = i;
    while (j < contour.segments.length && contour.segments[j].kind === 'line') j++;
    const { points } = pointsOf(contour.segments.slice(i, j), deviation);
    for (let k = 0; k < points.length - 1;) {
      const line = longest([k, points.length - 1], 1, (m) => lineOff(points, k, m), deviation);
      out.push({ kind: 'line', a: points[k], b: points[line.to] });
      measured = Math.max(measured, line.off);
      k = line.to;
    }
    i = j;
  }
  return { result: { ...contour, segments: out }, measured, before, after: out.length };
}

/**
 * Runs of lines as smooth cubic curves through their corners; corners that turn by more than `sharp` rad stay sharp.
 * Directions at corners by the neighbours' chord (Catmull and Rom, 1974).
 */
export function smoothContour(contour: Contour, sharp = 0.8): Fitted<Contour> {
  const before = contour.segments.length;
  const lines = contour.segments;
  const n = lines.length;
  if (n < 3 || lines.some((s) => s.kind !== 'line')) return { result: contour, measured: 0, before, after: before };
  const points = lines.map(startOf);
  if (!contour.closed) points.push((lines[n - 1] as { b: P2 }).b);
  const count = points.length;
  const at = (i: number) => points[((i % count) + count) % count];
  const tangent = (i: number): P2 | null => {
    if (!contour.closed && (i === 0 || i === count - 1)) return null;
    const [a, b, c] = [at(i - 1), at(i), at(i + 1)];
    const bend = Math.abs(
      Math.atan2(crossOf([b[0] - a[0], b[1] - a[1]], [c[0] - b[0], c[1] - b[1]]), (b[0] - a[0]) * (c[0] - b[0]) + (b[1] - a[1]) * (c[1] - b[1])),
    );
    if (bend > sharp) return null;
    const length = distance(a, c) || 1;
    return [(c[0] - a[0]) / length, (c[1] - a[1]) / length];
  };
  let measured = 0;
  const segments = lines.map((_, i): Segment => {
    const a = at(i);
    const b = at(i + 1);
    const third = distance(a, b) / 3;
    const u = tangent(i) ?? [(b[0] - a[0]) / (3 * third), (b[1] - a[1]) / (3 * third)];
    const v = tangent(contour.closed ? (i + 1) % count : i + 1) ?? [(b[0] - a[0]) / (3 * third), (b[1] - a[1]) / (3 * third)];
    const s: Segment = { kind: 'bezier', points: [a, [a[0] + u[0] * third, a[1] + u[1] * third], [b[0] - v[0] * third, b[1] - v[1] * third], b] };
    const inner: P2[] = [];
    flattenInto(s, third * 1e-3, inner);
    for (const p of inner) measured = Math.max(measured, Math.abs(crossOf([b[0] - a[0], b[1] - a[1]], [p[0] - a[0], p[1] - a[1]])) / (3 * third));
    return s;
  });
  return { result: { ...contour, segments }, measured, before, after: segments.length };
}

/** Neighbouring lines in line become one, neighbouring arcs of one circle too; a ring of such arcs becomes a circle. Within `tolerance` mm. */
export function mergedContour(contour: Contour, tolerance: number): Contour {
  const out: Segment[] = [];
  for (const s of contour.segments) {
    const before = out[out.length - 1];
    const one = before ? mergedPair(before, s, tolerance) : null;
    if (one) out[out.length - 1] = one;
    else out.push(s);
  }
  if (contour.closed && out.length > 2) {
    const one = mergedPair(out[out.length - 1], out[0], tolerance);
    if (one) {
      out[0] = one;
      out.pop();
    }
  } else if (contour.closed && out.length === 2 && out[0].kind === 'arc' && out[1].kind === 'arc') {
    const one = mergedPair(out[0], out[1], tolerance);
    if (one) return { ...contour, segments: [one] };
  }
  return { ...contour, segments: out };
}

function mergedPair(s: Segment, t: Segment, tolerance: number): Segment | null {
  if (s.kind === 'line' && t.kind === 'line') {
    const d: P2 = [t.b[0] - s.a[0], t.b[1] - s.a[1]];
    const length = Math.hypot(...d);
    if (!(length > 0)) return null;
    const off = Math.abs(crossOf(d, [s.b[0] - s.a[0], s.b[1] - s.a[1]])) / length;
    const ahead = (s.b[0] - s.a[0]) * (t.b[0] - t.a[0]) + (s.b[1] - s.a[1]) * (t.b[1] - t.a[1]) > 0;
    return off <= tolerance && ahead ? { kind: 'line', a: s.a, b: t.b } : null;
  }
  if (s.kind === 'arc' && t.kind === 'arc' && s.sweep * t.sweep > 0 && !isFull(s) && !isFull(t)) {
    if (distance(s.centre, t.centre) > tolerance || Math.abs(s.radius - t.radius) > tolerance) return null;
    const sweep = s.sweep + t.sweep;
    const near = Math.max(1e-6, (4 * tolerance) / s.radius);
    if (Math.abs(sweep) > turn + near) return null;
    return { ...s, sweep: Math.abs(Math.abs(sweep) - turn) < near ? Math.sign(sweep) * turn : sweep };
  }
  return null;
}
