import { pointAt, spansOf, startOf, type ArcSegment, type P2, type Segment, type SplineSegment } from './segment.ts';
import { spanCurves } from './spline.ts';
import { valueOf } from './bernstein.ts';

/** Most chords one piece is turned into. */
const mostChords = 100_000;

/**
 * The piece as points within a deviation (mm), its first point left out. For display, independent measures and receivers that take
 * lines only; never on the way to a file that can hold the exact curve.
 */
export function flattenInto(s: Segment, deviation: number, out: P2[]): void {
  eachChord(s, deviation, (x, y) => out.push([x, y]));
}

/** The same points told one by one, so that who only sums them up keeps none. @example eachChord(arc, 0.01, (x, y) => { length += Math.hypot(x - lastX, y - lastY); }) */
export function eachChord(s: Segment, deviation: number, visit: (x: number, y: number) => void): void {
  switch (s.kind) {
    case 'line':
      visit(s.b[0], s.b[1]);
      return;
    case 'arc':
      return alongArc(s, bounded(chordsOf(s.radius, s.sweep, deviation)), visit);
    case 'ellipse':
      // Sagitta of an ellipse's chord is at most that of its major circle at equal steps of the parameter.
      return even(s, bounded(chordsOf(Math.hypot(...s.u) * Math.max(1, s.ratio), s.sweep, deviation)), visit);
    case 'bezier':
      return alongBezier(s.points, deviation, visit);
    case 'spline':
      if (s.weights) return alongRational(s, deviation, visit);
      // Without weights each span is a Bézier curve, which has a bound.
      for (const { x, y } of spanCurves(s))
        alongBezier(
          x.map((v, i): P2 => [v, y[i]]),
          deviation,
          visit,
        );
  }
}

/** A Bézier curve of any degree. Bound of the distance to a chord: second derivative times step squared over 8. Source: any handbook of approximation. */
function alongBezier(p: readonly P2[], deviation: number, visit: (x: number, y: number) => void): void {
  const n = p.length - 1;
  let bend = 0;
  for (let i = 0; i + 2 <= n; i++) bend = Math.max(bend, Math.hypot(p[i][0] - 2 * p[i + 1][0] + p[i + 2][0], p[i][1] - 2 * p[i + 1][1] + p[i + 2][1]));
  const chords = bounded(Math.ceil(Math.sqrt((n * (n - 1) * bend) / (8 * deviation))));
  if (n === 3) return alongCubic(p, chords, visit);
  const [x, y] = [p.map((q) => q[0]), p.map((q) => q[1])];
  for (let i = 1; i <= chords; i++) visit(valueOf(x, i / chords), valueOf(y, i / chords));
}

/** A rational spline, halved until places between lie near enough. */
function alongRational(s: SplineSegment, deviation: number, visit: (x: number, y: number) => void): void {
  const cuts = spansOf(s);
  let from = pointAt(s, 0);
  for (let i = 1; i < cuts.length; i++) {
    for (let j = 0; j < 4; j++) {
      const a = cuts[i - 1] + ((cuts[i] - cuts[i - 1]) * j) / 4;
      const b = cuts[i - 1] + ((cuts[i] - cuts[i - 1]) * (j + 1)) / 4;
      const to = pointAt(s, b);
      halved({ s, deviation, visit }, { t: a, at: from }, { t: b, at: to }, 14);
      from = to;
    }
  }
}

const bounded = (chords: number): number => Math.min(mostChords, Math.max(1, chords));

function even(s: Segment, n: number, visit: (x: number, y: number) => void): void {
  for (let i = 1; i <= n; i++) {
    const p = pointAt(s, i / n);
    visit(p[0], p[1]);
  }
}

// The bulk of all chords: the same figures as pointAt gives, without anything kept.
function alongArc({ centre, radius, start, sweep }: ArcSegment, n: number, visit: (x: number, y: number) => void): void {
  for (let i = 1; i <= n; i++) {
    const angle = start + sweep * (i / n);
    visit(centre[0] + radius * Math.cos(angle), centre[1] + radius * Math.sin(angle));
  }
}

function alongCubic(p: readonly P2[], n: number, visit: (x: number, y: number) => void): void {
  const [[ax, ay], [bx, by], [cx, cy], [dx, dy]] = p;
  for (let i = 1; i <= n; i++) {
    const t = i / n;
    const u = 1 - t;
    const [a, b, c, d] = [u * u * u, 3 * u * u * t, 3 * u * t * t, t * t * t];
    visit(a * ax + b * bx + c * cx + d * dx, a * ay + b * by + c * cy + d * dy);
  }
}

/** Fewest chords of an arc for a deviation: sagitta r (1 - cos(step / 2)). Source: any handbook of geometry. */
export function chordsOf(radius: number, sweep: number, deviation: number): number {
  const step = deviation < radius ? 2 * Math.acos(1 - deviation / radius) : Math.PI / 2;
  return Math.ceil(Math.abs(sweep) / Math.min(step, Math.PI / 2));
}

/** What is cut into chords, how near, and who is told. */
interface Halving {
  s: Segment;
  deviation: number;
  visit: (x: number, y: number) => void;
}

/** A share of a piece's parameter, and the point there. */
interface Place {
  t: number;
  at: P2;
}

function halved(how: Halving, a: Place, b: Place, depth: number): void {
  const { s, deviation } = how;
  const [from, to] = [a.at, b.at];
  const dx = to[0] - from[0];
  const dy = to[1] - from[1];
  const length = Math.hypot(dx, dy);
  let far = 0;
  for (const t of [0.25, 0.5, 0.75]) {
    const p = pointAt(s, a.t + (b.t - a.t) * t);
    far = Math.max(far, length > 0 ? Math.abs(dx * (p[1] - from[1]) - dy * (p[0] - from[0])) / length : Math.hypot(p[0] - from[0], p[1] - from[1]));
  }
  if (far <= deviation * 0.8 || depth === 0) return how.visit(to[0], to[1]);
  const t = (a.t + b.t) / 2;
  const middle = { t, at: pointAt(s, t) };
  halved(how, a, middle, depth - 1);
  halved(how, middle, b, depth - 1);
}

/** A chain of pieces as points, first and last included. */
export function flattened(segments: readonly Segment[], deviation: number): P2[] {
  if (segments.length === 0) return [];
  const out: P2[] = [startOf(segments[0])];
  for (const s of segments) flattenInto(s, deviation, out);
  return out;
}
