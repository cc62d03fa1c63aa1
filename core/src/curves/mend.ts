import { chained, gapsOf } from './chain.ts';
import { checkDrawing, type DrawingCheck } from './check.ts';
import { areaOfContour, contourOf, lengthOfContour, reversedContour, type Contour, type Drawing, type Layer } from './drawing.ts';
import { fitContour, simplifyContour, smoothContour } from './fit.ts';
import { nest } from './nest.ts';
import { distance, endOf, isFull, pieceOf, startOf, turn, type ArcSegment, type LineSegment, type P2, type Segment } from './segment.ts';
import { lengthOf } from './measure.ts';

/** What to mend. Lengths in mm; null leaves it. */
export interface DrawingMend {
  /** Ends up to this far apart are joined. */
  joinGaps: number | null;
  dropDoubles: boolean;
  /** Pieces up to this long are taken out and their neighbours joined. */
  dropTiny: number | null;
  dropPoints: boolean;
  /** Arcs that miss a full turn by very little become circles. */
  closeCircles: boolean;
  fitArcs: number | null;
  simplify: number | null;
  smooth: boolean;
  /** Outer contours counter-clockwise, holes clockwise. */
  order: boolean;
}

export const nothingToMend: DrawingMend = {
  joinGaps: null,
  dropDoubles: false,
  dropTiny: null,
  dropPoints: false,
  closeCircles: false,
  fitArcs: null,
  simplify: null,
  smooth: false,
  order: false,
};

/** What "mend all that is safe" does: nothing moves by more than the gap that is joined. */
export const safeMend: DrawingMend = {
  ...nothingToMend,
  joinGaps: 0.05,
  dropDoubles: true,
  dropTiny: 0.001,
  dropPoints: true,
  closeCircles: true,
  order: true,
};

export interface DrawingMendReport {
  steps: string[];
  before: DrawingCheck;
  after: DrawingCheck;
  /** Largest distance by which anything moved, measured where it can be, mm. */
  moved: number;
}

/** Mends a drawing step by step and says what it did. Nothing else changes. */
export function mendDrawing(source: Drawing, what: DrawingMend): { drawing: Drawing; report: DrawingMendReport } {
  const before = checkDrawing(source);
  const { tolerance } = before;
  const steps: string[] = [];
  let moved = 0;
  let drawing = source;
  const say = (count: number, one: string, many: string, tail = '') => {
    if (count > 0) steps.push(`${count.toLocaleString('en')} ${count === 1 ? one : many}${tail}.`);
  };
  if (what.dropPoints) {
    say(drawing.points.length, 'stray point was dropped', 'stray points were dropped');
    drawing = { ...drawing, points: [] };
  }
  if (what.dropTiny !== null) {
    const done = withoutTiny(drawing, what.dropTiny);
    drawing = done.drawing;
    if (done.dropped > 0) moved = Math.max(moved, what.dropTiny);
    say(done.dropped, 'tiny piece was dropped', 'tiny pieces were dropped', ` (up to ${what.dropTiny} mm)`);
  }
  if (what.closeCircles) {
    const done = circlesClosed(drawing);
    drawing = done.drawing;
    moved = Math.max(moved, done.gap);
    say(done.closed, 'arc became a full circle', 'arcs became full circles');
  }
  if (what.dropDoubles) {
    const done = withoutDoubles(drawing, tolerance);
    drawing = chained(done.drawing, tolerance).drawing;
    say(done.dropped, 'double piece was dropped', 'double pieces were dropped', ` (${done.length.toFixed(2)} mm)`);
    say(done.shared, 'edge is shared by two closed contours and was kept', 'edges are shared by two closed contours and were kept');
  }
  if (what.joinGaps !== null) {
    const widest = gapsOf(drawing).filter((g) => g.distance <= what.joinGaps!);
    const done = chained(drawing, what.joinGaps);
    drawing = done.drawing;
    moved = Math.max(moved, ...widest.map((g) => g.distance / 2), 0);
    say(done.joined, 'gap was joined', 'gaps were joined', ` (widest ${Math.max(0, ...widest.map((g) => g.distance)).toPrecision(3)} mm)`);
  }
  const each = (name: string, deviation: number, work: (c: Contour) => { result: Contour; measured: number; before: number; after: number }) => {
    let [from, to, off] = [0, 0, 0];
    const layers = drawing.layers.map((l) => ({
      ...l,
      contours: l.contours.map((c) => {
        const done = work(c);
        from += done.before;
        to += done.after;
        off = Math.max(off, done.measured);
        return done.result;
      }),
    }));
    drawing = { ...drawing, layers };
    moved = Math.max(moved, off);
    steps.push(
      `${from.toLocaleString('en')} pieces became ${to.toLocaleString('en')} by ${name}; measured deviation ${off.toPrecision(3)} mm${deviation > 0 ? ` (${deviation} mm allowed)` : ''}.`,
    );
  };
  if (what.simplify !== null) each('simplifying', what.simplify, (c) => simplifyContour(c, what.simplify!));
  if (what.fitArcs !== null) each('fitting arcs and lines', what.fitArcs, (c) => fitContour(c, what.fitArcs!));
  if (what.smooth) each('smoothing', 0, (c) => smoothContour(c));
  if (what.order) {
    const done = ordered(drawing);
    drawing = done.drawing;
    say(done.turned, 'contour was turned round', 'contours were turned round', ' (outer counter-clockwise, holes clockwise)');
  }
  return { drawing, report: { steps, before, after: checkDrawing(drawing), moved } };
}

const withContours = (drawing: Drawing, work: (contour: Contour, layer: Layer) => Contour[]): Drawing => ({
  ...drawing,
  layers: drawing.layers.map((l) => ({ ...l, contours: l.contours.flatMap((c) => work(c, l)) })),
});

function withoutTiny(drawing: Drawing, most: number): { drawing: Drawing; dropped: number } {
  let dropped = 0;
  const result = withContours(drawing, (contour) => {
    const small = contour.segments.map((s) => lengthOf(s) <= most);
    if (!small.includes(true)) return [contour];
    dropped += small.filter(Boolean).length;
    const kept = contour.segments.filter((_, i) => !small[i]);
    if (kept.length === 0) return [];
    // Neighbours of what was taken out meet again: the start of the later one moves.
    return [{ ...contour, segments: kept.map((s, i) => (i > 0 && s.kind === 'line' ? { ...s, a: endOf(kept[i - 1]) } : s)) }];
  });
  return { drawing: chained(result, most * 2).drawing, dropped };
}

function circlesClosed(drawing: Drawing): { drawing: Drawing; closed: number; gap: number } {
  let closed = 0;
  let gap = 0;
  const result = withContours(drawing, (contour) => {
    const [s] = contour.segments;
    // The arc alone, or with the tiny line that bridged it.
    const rest = contour.segments.slice(1);
    if (s?.kind !== 'arc' || isFull(s) || Math.abs(s.sweep) < turn - 0.02 || rest.some((r) => lengthOf(r) > 0.02 * s.radius)) return [contour];
    closed++;
    gap = Math.max(gap, distance(startOf(s), endOf(s)));
    return [{ ...contour, closed: true, segments: [{ ...s, sweep: Math.sign(s.sweep) * turn }] }];
  });
  return { drawing: result, closed, gap };
}

/** Takes away what lies on something else. Closed contours are dropped only whole; an edge shared by two of them stays. */
export function withoutDoubles(drawing: Drawing, tolerance: number): { drawing: Drawing; dropped: number; shared: number; length: number } {
  const found = checkDrawing(drawing, tolerance);
  const pairs = [...found.doubles, ...found.overlaps];
  if (pairs.length === 0) return { drawing, dropped: 0, shared: 0, length: 0 };
  const flat: { segment: Segment; contour: number }[] = [];
  const contours: Contour[] = [];
  for (const l of drawing.layers)
    for (const c of l.contours) {
      for (const segment of c.segments) flat.push({ segment, contour: contours.length });
      contours.push(c);
    }
  const lies = new Map<number, number[]>();
  for (const {
    segments: [i, j],
  } of pairs) {
    lies.set(i, [...(lies.get(i) ?? []), j]);
    lies.set(j, [...(lies.get(j) ?? []), i]);
  }
  const doubled = new Set(found.doubles.flatMap((d) => d.segments));
  const gone = new Set<number>();
  const counts = new Map<number, number>();
  for (const i of doubled) counts.set(flat[i].contour, (counts.get(flat[i].contour) ?? 0) + 1);
  // Later contours first, so that the first of several stays; a closed contour goes only when all of it lies on others that stay.
  for (let c = contours.length - 1; c >= 0; c--) {
    if (!contours[c].closed || (counts.get(c) ?? 0) < contours[c].segments.length) continue;
    const own = flat.map((f, i) => (f.contour === c ? i : -1)).filter((i) => i >= 0);
    const covered = own.every((i) =>
      (lies.get(i) ?? []).some((j) => flat[j].contour !== c && !gone.has(j) && lengthOf(flat[j].segment) >= lengthOf(flat[i].segment) - 4 * tolerance),
    );
    if (covered) own.forEach((i) => gone.add(i));
  }
  let shared = 0;
  let dropped = gone.size;
  let length = 0;
  gone.forEach((i) => (length += lengthOf(flat[i].segment)));
  const cut = new Map<number, [number, number][]>();
  for (const {
    segments: [i, j],
  } of pairs) {
    if (gone.has(i) || gone.has(j)) continue;
    const [a, b] = [contours[flat[i].contour], contours[flat[j].contour]];
    if (a.closed && b.closed) {
      shared++;
      continue;
    }
    const victim = a.closed || !b.closed ? j : i;
    const other = victim === j ? i : j;
    const share = coveredShare(flat[victim].segment, flat[other].segment);
    if (!share) continue;
    cut.set(victim, [...(cut.get(victim) ?? []), share]);
    dropped++;
    length += (share[1] - share[0]) * lengthOf(flat[victim].segment);
  }
  let at = 0;
  const result = withContours(drawing, (contour) => {
    const pieces: Segment[][] = [[]];
    let touched = false;
    for (const s of contour.segments) {
      const i = at++;
      if (gone.has(i)) {
        touched = true;
        pieces.push([]);
        continue;
      }
      const shares = cut.get(i);
      if (!shares) {
        pieces[pieces.length - 1].push(s);
        continue;
      }
      touched = true;
      for (const [from, to] of leftOver(shares)) {
        if ((to - from) * lengthOf(s) <= 4 * tolerance) continue;
        if (from > 0) pieces.push([]);
        pieces[pieces.length - 1].push(pieceOf(s as LineSegment | ArcSegment, from, to));
        if (to < 1) pieces.push([]);
      }
      if (shares.some(([from]) => from <= 1e-9)) pieces.push([]);
    }
    if (!touched) return [contour];
    return pieces
      .filter((p) => p.length > 0)
      .map((segments) => ({ ...contourOf(segments, false, contour.colour), meaning: contour.meaning, depth: contour.depth }));
  });
  return { drawing: result, dropped, shared, length };
}

/** Which shares of a line or arc lie on another. */
function coveredShare(s: Segment, other: Segment): [number, number] | null {
  if (s.kind === 'line' && other.kind === 'line') {
    const length = lengthOf(s);
    const u: P2 = [(s.b[0] - s.a[0]) / length, (s.b[1] - s.a[1]) / length];
    const along = [other.a, other.b].map((p) => ((p[0] - s.a[0]) * u[0] + (p[1] - s.a[1]) * u[1]) / length);
    const share: [number, number] = [Math.max(0, Math.min(...along)), Math.min(1, Math.max(...along))];
    return share[1] > share[0] ? share : null;
  }
  if (s.kind === 'arc' && other.kind === 'arc') {
    if (isFull(other)) return [0, 1];
    const sign = Math.sign(s.sweep);
    const low = other.sweep * sign > 0 ? other.start : other.start + other.sweep;
    let from = (sign * (low - s.start)) % turn;
    if (from > turn - 1e-9) from -= turn;
    if (from < -1e-9) from += turn;
    const to = from + Math.abs(other.sweep);
    const size = Math.abs(s.sweep);
    // The other may begin behind this arc's start and reach into it.
    const spans: [number, number][] = [
      [Math.max(0, from), Math.min(size, to)],
      [0, Math.min(size, to - turn)],
    ];
    const best = spans.sort((a, b) => b[1] - b[0] - (a[1] - a[0]))[0];
    return best[1] > best[0] ? [best[0] / size, best[1] / size] : null;
  }
  return null;
}

function leftOver(shares: [number, number][]): [number, number][] {
  const out: [number, number][] = [];
  let at = 0;
  for (const [from, to] of [...shares].sort((a, b) => a[0] - b[0])) {
    if (from > at + 1e-12) out.push([at, from]);
    at = Math.max(at, to);
  }
  if (at < 1 - 1e-12) out.push([at, 1]);
  return out;
}

/** Outer contours and islands counter-clockwise, holes clockwise. */
export function ordered(drawing: Drawing): { drawing: Drawing; turned: number } {
  const depth = new Map<Contour, number>();
  for (const n of nest(drawing)) depth.set(drawing.layers[n.layer].contours[n.contour], n.depth);
  let turned = 0;
  const result = withContours(drawing, (contour) => {
    const d = depth.get(contour);
    if (d === undefined) return [contour];
    const want = d % 2 === 0 ? 1 : -1;
    if (areaOfContour(contour) * want >= 0) return [contour];
    turned++;
    return [reversedContour(contour)];
  });
  return { drawing: result, turned };
}

/** Length of everything, mm. */
export const lengthOfDrawing = (drawing: Drawing): number => drawing.layers.reduce((n, l) => n + l.contours.reduce((m, c) => m + lengthOfContour(c), 0), 0);
