import { chained, gapsOf } from './chain.ts';
import { checkDrawing, type DrawingCheck } from './check.ts';
import { withoutDoubles } from './doubles.ts';
import { areaOfContour, lengthOfContour, reversedContour, type Contour, type Drawing, type Layer } from './drawing.ts';
import { fitContour, simplifyContour, smoothContour } from './fit.ts';
import { nest } from './nest.ts';
import { distance, endOf, isFull, startOf, turn } from './segment.ts';
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
    const widest = gapsOf(drawing).reduce((most, g) => (g.distance <= what.joinGaps! ? Math.max(most, g.distance) : most), 0);
    const done = chained(drawing, what.joinGaps);
    drawing = done.drawing;
    moved = Math.max(moved, widest / 2);
    say(done.joined, 'gap was joined', 'gaps were joined', ` (widest ${widest.toPrecision(3)} mm)`);
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
