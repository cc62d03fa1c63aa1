import { turn, type ArcSegment, type LineSegment, type P2 } from './segment.ts';

/** A straight or circular piece; curves of other kinds come here cut into short lines. */
export type Piece = LineSegment | ArcSegment;

/** Where two pieces meet: single places, and the length over which they lie on each other. */
export interface Meeting {
  /** Flat: x, y for each place. */
  places: number[];
  /** mm that both cover. */
  shared: number;
  /** Middle of the shared part. */
  sharedAt: P2 | null;
  /** They meet without going through each other: the one place is a touch. */
  tangent?: boolean;
}

const none: Meeting = { places: [], shared: 0, sharedAt: null };

/** Where two pieces meet within `tolerance` mm. Source: closed forms of any handbook of analytic geometry. */
export function meetingOf(p: Piece, q: Piece, tolerance: number): Meeting {
  if (p.kind === 'line') return q.kind === 'line' ? linesMeet(p, q, tolerance) : lineAndArc(p, q, tolerance);
  return q.kind === 'line' ? lineAndArc(q, p, tolerance) : arcsMeet(p, q, tolerance);
}

function linesMeet(p: LineSegment, q: LineSegment, tolerance: number): Meeting {
  const dx = p.b[0] - p.a[0];
  const dy = p.b[1] - p.a[1];
  const ex = q.b[0] - q.a[0];
  const ey = q.b[1] - q.a[1];
  const lp = Math.hypot(dx, dy);
  const lq = Math.hypot(ex, ey);
  if (!(lp > 0) || !(lq > 0)) return none;
  const wx = q.a[0] - p.a[0];
  const wy = q.a[1] - p.a[1];
  const n = dx * ey - dy * ex;
  // Parallel when one end of the shorter leaves the other's line by less than the tolerance over its whole length.
  if (Math.abs(n) <= tolerance * Math.max(lp, lq)) {
    const ux = dx / lp;
    const uy = dy / lp;
    if (Math.abs(ux * wy - uy * wx) > tolerance || Math.abs(ux * (q.b[1] - p.a[1]) - uy * (q.b[0] - p.a[0])) > tolerance) {
      if (Math.abs(n) <= 1e-12 * lp * lq) return none;
    } else {
      const from = ux * wx + uy * wy;
      const to = ux * (q.b[0] - p.a[0]) + uy * (q.b[1] - p.a[1]);
      const low = Math.max(0, Math.min(from, to));
      const high = Math.min(lp, Math.max(from, to));
      if (high - low <= 2 * tolerance) return none;
      const m = (low + high) / 2;
      return { places: [], shared: high - low, sharedAt: [p.a[0] + ux * m, p.a[1] + uy * m] };
    }
  }
  const k = (wx * ey - wy * ex) / n;
  const m = (wx * dy - wy * dx) / n;
  const slackP = tolerance / lp;
  const slackQ = tolerance / lq;
  if (k < -slackP || k > 1 + slackP || m < -slackQ || m > 1 + slackQ) return none;
  return { places: [p.a[0] + dx * k, p.a[1] + dy * k], shared: 0, sharedAt: null };
}

/** Whether a point at an angle lies on the arc's sweep, with slack in mm. */
function onSweep(arc: ArcSegment, x: number, y: number, tolerance: number): boolean {
  const slack = tolerance / arc.radius;
  let ahead = (Math.sign(arc.sweep) * (Math.atan2(y - arc.centre[1], x - arc.centre[0]) - arc.start)) % turn;
  if (ahead < 0) ahead += turn;
  return ahead <= Math.abs(arc.sweep) + slack || ahead >= turn - slack;
}

function lineAndArc(line: LineSegment, arc: ArcSegment, tolerance: number): Meeting {
  const dx = line.b[0] - line.a[0];
  const dy = line.b[1] - line.a[1];
  const length = Math.hypot(dx, dy);
  if (!(length > 0) || !(arc.radius > 0)) return none;
  const ux = dx / length;
  const uy = dy / length;
  const wx = arc.centre[0] - line.a[0];
  const wy = arc.centre[1] - line.a[1];
  const along = ux * wx + uy * wy;
  const off = ux * wy - uy * wx;
  const square = arc.radius * arc.radius - off * off;
  if (square < 0) {
    // Passing by within the tolerance is a touch.
    if (Math.abs(off) - arc.radius > tolerance) return none;
  }
  const half = Math.sqrt(Math.max(0, square));
  const places: number[] = [];
  // Going in by no more than the tolerance is a touch.
  const tangent = arc.radius - Math.abs(off) <= tolerance;
  const tries = tangent ? [along] : [along - half, along + half];
  for (const t of tries) {
    if (t < -tolerance || t > length + tolerance) continue;
    const x = line.a[0] + ux * t;
    const y = line.a[1] + uy * t;
    if (onSweep(arc, x, y, tolerance)) places.push(x, y);
  }
  return places.length ? { places, shared: 0, sharedAt: null, tangent } : none;
}

function arcsMeet(p: ArcSegment, q: ArcSegment, tolerance: number): Meeting {
  const dx = q.centre[0] - p.centre[0];
  const dy = q.centre[1] - p.centre[1];
  const d = Math.hypot(dx, dy);
  if (d <= tolerance && Math.abs(p.radius - q.radius) <= tolerance) return sharedArc(p, q, tolerance);
  if (d > p.radius + q.radius + tolerance || d < Math.abs(p.radius - q.radius) - tolerance || d === 0) return none;
  const a = (d * d + p.radius * p.radius - q.radius * q.radius) / (2 * d);
  const h = Math.sqrt(Math.max(0, p.radius * p.radius - a * a));
  const x = p.centre[0] + (dx * a) / d;
  const y = p.centre[1] + (dy * a) / d;
  const places: number[] = [];
  const tangent = p.radius + q.radius - d <= tolerance || d - Math.abs(p.radius - q.radius) <= tolerance;
  for (const side of tangent ? [0] : [-1, 1]) {
    const px = x - (side * h * dy) / d;
    const py = y + (side * h * dx) / d;
    if (onSweep(p, px, py, tolerance) && onSweep(q, px, py, tolerance)) places.push(px, py);
  }
  return places.length ? { places, shared: 0, sharedAt: null, tangent } : none;
}

function sharedArc(p: ArcSegment, q: ArcSegment, tolerance: number): Meeting {
  const span = (arc: ArcSegment): [number, number] => (arc.sweep < 0 ? [arc.start + arc.sweep, -arc.sweep] : [arc.start, arc.sweep]);
  const [ps, pw] = span(p);
  const [qs, qw] = span(q);
  let best = 0;
  let at = 0;
  let sum = 0;
  for (const k of [-2, -1, 0, 1, 2]) {
    const offset = ((qs - ps) % turn) + k * turn;
    const low = Math.max(0, offset);
    const high = Math.min(pw, offset + qw);
    if (high - low <= (2 * tolerance) / p.radius) continue;
    sum += high - low;
    if (high - low > best) {
      best = high - low;
      at = ps + (low + high) / 2;
    }
  }
  if (best === 0) return none;
  return { places: [], shared: sum * p.radius, sharedAt: [p.centre[0] + p.radius * Math.cos(at), p.centre[1] + p.radius * Math.sin(at)] };
}
