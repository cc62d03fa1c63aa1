import { distance, endOf, startOf, turn, type ArcSegment, type EllipseSegment, type Segment } from './segment.ts';

/** Neighbours lie on one circle or ellipse when centre and radii agree within this share of the radius. */
const sameShare = 1e-7;

/**
 * Neighbouring arcs that run on along one circle or ellipse become one, all round a full turn: some formats can say no more than half a turn
 * at a time. Nothing else changes.
 */
export function mergedArcs(segments: readonly Segment[], closed: boolean): Segment[] {
  const out: Segment[] = [];
  for (const s of segments) {
    const last = out[out.length - 1];
    const one = last && joined(last, s);
    if (one) out[out.length - 1] = one;
    else out.push(s);
  }
  if (closed && out.length > 1) {
    const one = joined(out[out.length - 1], out[0]);
    if (one) {
      out.pop();
      out[0] = one;
    }
  }
  return out;
}

type Round = ArcSegment | EllipseSegment;
const isRound = (s: Segment): s is Round => s.kind === 'arc' || s.kind === 'ellipse';

function joined(a: Segment, b: Segment): Segment | null {
  if (!isRound(a) || !isRound(b) || a.kind !== b.kind || a.sweep * b.sweep <= 0) return null;
  const sweep = a.sweep + b.sweep;
  if (Math.abs(sweep) > turn + 1e-6) return null;
  const radius = a.kind === 'arc' ? a.radius : Math.hypot(...a.u);
  const slack = sameShare * radius;
  if (distance(a.centre, b.centre) > slack || distance(endOf(a), startOf(b)) > slack) return null;
  const full = Math.abs(Math.abs(sweep) - turn) <= 1e-6;
  const whole = full ? Math.sign(sweep) * turn : sweep;
  if (a.kind === 'arc') return Math.abs(a.radius - (b as ArcSegment).radius) <= slack ? { ...a, sweep: whole } : null;
  const other = b as EllipseSegment;
  // The same ellipse may name its half axis by either of its two directions.
  const along = distance(a.u, other.u) <= slack * 10 || distance(a.u, [-other.u[0], -other.u[1]]) <= slack * 10;
  return along && Math.abs(a.ratio - other.ratio) <= 10 * sameShare ? { ...a, sweep: whole } : null;
}
