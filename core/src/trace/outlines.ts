import { directionAt, endOf, startOf, type P2, type Segment } from '../curves/segment.ts';
import { beziersThrough } from './beziers.ts';
import type { TraceChoice } from './choice.ts';
import { counts, outlined, placeOf, type Outlined } from './joints.ts';
import { nearOutline } from './off.ts';
import { cornerSlack, piecesOf, type Row } from './pieces.ts';
import type { LayerRows } from './rows.ts';

/** One way as it came of a row of points. */
export interface Made {
  row: Row;
  outline: Segment[];
  closed: boolean;
  width: number | null;
}

/** Rows of one layer as lines, arcs and curves. @param near how far they may lie off, pixels */
export function outlines(layer: LayerRows, near: number, curves: TraceChoice['curves']): Made[] {
  const width = (layer as { strokeWidth?: number }).strokeWidth ?? null;
  return layer.rows.flatMap((row) => {
    if (row.xy.length < 4) return [];
    let outline: Segment[] = [];
    // A corner that takes too much away is looked at again, more closely.
    for (const [closer, slack] of looks) {
      const found = outlined(row, piecesOf(row, near * closer, slack), near * closer, slack);
      outline = (curves === 'beziers' ? withBeziers(row, found, near * closer) : found.segments.flatMap((s, k) => withLink(s, found.links[k]))).filter(
        (s) => s.kind !== 'line' || s.a[0] !== s.b[0] || s.a[1] !== s.b[1],
      );
      if (outline.length > 0 && isFinite(outline) && keeps(row, outline, near)) break;
    }
    // Sides that run back along each other meet nowhere: what is left is the way from point to point.
    if (!isFinite(outline)) outline = fromPointToPoint(row);
    return outline.length === 0 || (row.closed && outline.length === 1 && outline[0].kind === 'line') ? [] : [{ row, outline, closed: row.closed, width }];
  });
}

/** Whether every place of an outline is somewhere. */
const isFinite = (outline: readonly Segment[]): boolean => outline.every((s) => [...startOf(s), ...endOf(s)].every(Number.isFinite));

function fromPointToPoint({ xy, closed }: Row): Segment[] {
  const points = Array.from({ length: xy.length / 2 }, (_, i): P2 => [xy[i * 2], xy[i * 2 + 1]]);
  const ends = closed ? [...points, points[0]] : points;
  return ends.slice(1).map((b, i): Segment => ({ kind: 'line', a: ends[i], b }));
}

const withLink = (s: Segment, link: Segment | null | undefined): Segment[] => (link ? [s, link] : [s]);

/** Lines longer than this stand for something straight, pixels; shorter ones may be a piece of a curve. */
const straight = 30;
const isLong = (s: Segment): boolean => s.kind === 'line' && Math.hypot(s.b[0] - s.a[0], s.b[1] - s.a[1]) > straight;

/** Runs of arcs between two corners as Béziers, where that takes fewer pieces. */
function withBeziers(row: Row, { segments, links, stretches }: Outlined, near: number): Segment[] {
  const count = stretches.length;
  if (count === 0) return segments;
  const next = (k: number) => (k + 1) % count;
  const ends = (k: number) => turnBetween(segments[k], segments[next(k)]) > corner || isLong(segments[k]) || isLong(segments[next(k)]);
  const first = row.closed
    ? next(
        Math.max(
          -1,
          segments.findIndex((_, k) => ends(k)),
        ),
      )
    : 0;
  const out: Segment[] = [];
  let run: number[] = [];
  const flush = () => {
    const [a, b] = [run[0], run[run.length - 1]];
    const plain = run.flatMap((k) => withLink(segments[k], k === b ? null : links[k]));
    const curves =
      run.length > 1 ? beziersThrough(placesOf(row, run, segments, stretches), near, [directionAt(segments[a], 0), directionAt(segments[b], 1)]) : [];
    out.push(...(curves.length > 0 && curves.length < plain.length ? curves : plain));
    const link = links[b];
    if (link) out.push(link);
    run = [];
  };
  for (let step = 0; step < count; step++) {
    const k = (first + step) % count;
    run.push(k);
    if (ends(k)) flush();
  }
  if (run.length > 0) flush();
  return out;
}

/** Turns sharper than this are corners, rad. */
const corner = (30 * Math.PI) / 180;

function turnBetween(a: Segment, b: Segment): number {
  const [u, v] = [directionAt(a, 1), directionAt(b, 0)];
  return Math.abs(Math.atan2(u[0] * v[1] - u[1] * v[0], u[0] * v[0] + u[1] * v[1]));
}

function placesOf(row: Row, run: readonly number[], segments: readonly Segment[], stretches: Outlined['stretches']): P2[] {
  const out: P2[] = [startOf(segments[run[0]])];
  for (const k of run) for (let i = stretches[k].from; i < stretches[k].to; i++) if (counts(row, i)) out.push(placeOf(row, i));
  out.push(endOf(segments[run[run.length - 1]]));
  // What lies beside a corner is rounded off by the pixels.
  return out.length > 8 ? [out[0], ...out.slice(3, -3), out[out.length - 1]] : out;
}

/** How an outline is looked for again while it takes too much away: shares of the deviation, and what a corner may round off, pixels. */
const looks = [
  [1, cornerSlack],
  [1, cornerSlack / 2],
  [1, 0],
  [0.6, 0],
] as const;

/** How much farther than elsewhere a point of the edge may lie off beside a corner, pixels: less than this far from a corner itself, and elsewhere. */
const offCorner = { reach: 1.6, at: 0.43, beside: 0.42 };

/** Whether an outline keeps to its edge: corners take away what a pixel rounds off, and no more. */
export function keeps({ xy }: Row, outline: readonly Segment[], near: number): boolean {
  const off = nearOutline(outline);
  for (let i = 0; i < xy.length; i += 2) {
    const d = off(xy[i], xy[i + 1]);
    if (d <= near + offCorner.beside) continue;
    if (d > near + offCorner.at || !outline.some((s) => Math.hypot(startOf(s)[0] - xy[i], startOf(s)[1] - xy[i + 1]) <= offCorner.reach)) return false;
  }
  return true;
}
