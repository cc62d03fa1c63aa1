import { pointAt, spansOf, startOf, type P2, type Segment } from './segment.ts';

/** Most chords one piece is turned into. */
const mostChords = 100_000;

/**
 * The piece as points within a deviation (mm), its first point left out. For display, independent measures and receivers that take
 * lines only; never on the way to a file that can hold the exact curve.
 */
export function flattenInto(s: Segment, deviation: number, out: P2[]): void {
  switch (s.kind) {
    case 'line':
      out.push(s.b);
      return;
    case 'arc':
      return even(s, chordsOf(s.radius, s.sweep, deviation), out);
    case 'ellipse':
      // Sagitta of an ellipse's chord is at most that of its major circle at equal steps of the parameter.
      return even(s, chordsOf(Math.hypot(...s.u) * Math.max(1, s.ratio), s.sweep, deviation), out);
    case 'bezier': {
      // Bound of the distance to a chord: second derivative times step squared over 8. Source: any handbook of approximation.
      const p = s.points;
      const n = p.length - 1;
      let bend = 0;
      for (let i = 0; i + 2 <= n; i++) bend = Math.max(bend, Math.hypot(p[i][0] - 2 * p[i + 1][0] + p[i + 2][0], p[i][1] - 2 * p[i + 1][1] + p[i + 2][1]));
      return even(s, Math.ceil(Math.sqrt((n * (n - 1) * bend) / (8 * deviation))), out);
    }
    case 'spline': {
      const cuts = spansOf(s);
      let from = pointAt(s, 0);
      for (let i = 1; i < cuts.length; i++) {
        for (let j = 0; j < 4; j++) {
          const a = cuts[i - 1] + ((cuts[i] - cuts[i - 1]) * j) / 4;
          const b = cuts[i - 1] + ((cuts[i] - cuts[i - 1]) * (j + 1)) / 4;
          from = halved(s, a, b, from, pointAt(s, b), deviation, 14, out);
        }
      }
    }
  }
}

function even(s: Segment, chords: number, out: P2[]): void {
  const n = Math.min(mostChords, Math.max(1, chords));
  for (let i = 1; i <= n; i++) out.push(pointAt(s, i / n));
}

/** Fewest chords of an arc for a deviation: sagitta r (1 - cos(step / 2)). Source: any handbook of geometry. */
export function chordsOf(radius: number, sweep: number, deviation: number): number {
  const step = deviation < radius ? 2 * Math.acos(1 - deviation / radius) : Math.PI / 2;
  return Math.ceil(Math.abs(sweep) / Math.min(step, Math.PI / 2));
}

function halved(s: Segment, a: number, b: number, from: P2, to: P2, deviation: number, depth: number, out: P2[]): P2 {
  const dx = to[0] - from[0];
  const dy = to[1] - from[1];
  const length = Math.hypot(dx, dy);
  let far = 0;
  for (const t of [0.25, 0.5, 0.75]) {
    const p = pointAt(s, a + (b - a) * t);
    far = Math.max(far, length > 0 ? Math.abs(dx * (p[1] - from[1]) - dy * (p[0] - from[0])) / length : Math.hypot(p[0] - from[0], p[1] - from[1]));
  }
  if (far <= deviation * 0.8 || depth === 0) {
    out.push(to);
    return to;
  }
  const m = (a + b) / 2;
  const middle = pointAt(s, m);
  halved(s, a, m, from, middle, deviation, depth - 1, out);
  return halved(s, m, b, middle, to, deviation, depth - 1, out);
}

/** A chain of pieces as points, first and last included. */
export function flattened(segments: readonly Segment[], deviation: number): P2[] {
  if (segments.length === 0) return [];
  const out: P2[] = [startOf(segments[0])];
  for (const s of segments) flattenInto(s, deviation, out);
  return out;
}
