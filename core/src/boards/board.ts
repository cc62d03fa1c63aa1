import { Unusable, type Finding } from '../base/finding.ts';
import { areaOfContour, boxOfContour, type Contour, type Drawing } from '../curves/drawing.ts';
import { fitContour } from '../curves/fit.ts';
import type { Box2 } from '../curves/measure.ts';
import { distance, endOf, isFull, startOf, type ArcSegment, type P2 } from '../curves/segment.ts';
import type { Track } from '../formats/gerber/write.ts';
import { boardWords, type BoardChoice, type BoardMeaning } from './choice.ts';
import { meantForBoard, obroundOf, type BoardContour } from './meaning.ts';
import { rounded } from './round.ts';

/** A closed chain of lines and arcs. */
export type Chain = readonly Track[];

export interface Hole {
  at: P2;
  diameter: number;
  plated: boolean;
}

export interface Slot {
  path: Chain;
  width: number;
  plated: boolean;
}

/** What lies on one side. */
export interface Side {
  /** Filled, even-odd. */
  copper: Chain[];
  legendLines: Chain[];
  /** Filled, even-odd. */
  legendFilled: Chain[];
  mask: Chain[];
}

/** A board: what is cut, drilled and laid on. Seen from the top; lengths in mm. */
export interface Board {
  edges: Chain[];
  cutOuts: Chain[];
  holes: Hole[];
  slots: Slot[];
  keepOuts: Chain[];
  top: Side;
  bottom: Side;
  /** Lines to break at, for a scored panel. */
  scores: Chain[];
  /** Round marks of copper, bare of mask, mm. */
  fiducials: { at: P2; diameter: number; opening: number }[];
  box: Box2;
  findings: Finding[];
}

/** Curves become arcs within this, mm. */
export const curveDeviation = 4e-6;
/** Lines of a slot that state no width are this wide, mm. */
const usualSlot = 1;

const emptySide = (): Side => ({ copper: [], legendLines: [], legendFilled: [], mask: [] });

/** Lines and arcs of a contour. */
export function tracksOf(contour: Contour): Track[] {
  const plain = contour.segments.every((s) => s.kind === 'line' || s.kind === 'arc') ? contour : fitContour(contour, curveDeviation).result;
  return plain.segments as Track[];
}

const place = ([x, y]: readonly number[]): string => `at ${Number(x.toFixed(3))}, ${Number(y.toFixed(3))} mm`;
const middleOf = (c: Contour): P2 => {
  const [a, b, d, e] = boxOfContour(c);
  return [(a + d) / 2, (b + e) / 2];
};

/** Meanings that need a closed contour. */
const closedOnly: ReadonlySet<BoardMeaning> = new Set(['edge', 'cut-out', 'plated', 'bare', 'copper', 'copper-bottom', 'keep-out', 'mask', 'mask-bottom', 'legend-filled', 'legend-bottom-filled']); // prettier-ignore

/**
 * The board that a drawing is, by the meaning of its contours.
 * @throws Unusable when nothing is its edge, or the edge is open
 * @example boardOf(drawing, usualBoard).holes.length
 */
export function boardOf(drawing: Drawing, choice: BoardChoice): { board: Board; contours: BoardContour[] } {
  const contours = meantForBoard(drawing, choice);
  const board: Board = {
    edges: [],
    cutOuts: [],
    holes: [],
    slots: [],
    keepOuts: [],
    top: emptySide(),
    bottom: emptySide(),
    scores: [],
    fiducials: [],
    box: [Infinity, Infinity, -Infinity, -Infinity],
    findings: [],
  };
  for (const c of contours) take(board, c, choice);
  if (board.edges.length === 0)
    throw new Unusable(
      'no-edge',
      'Nothing in this drawing is the edge of a board: no closed contour is outermost.',
      'Close the outline, or choose the layer that is the board edge.',
    );
  for (const c of contours.filter((x) => x.meaning === 'edge')) {
    const [a, b, d, e] = boxOfContour(c.contour);
    board.box = [Math.min(board.box[0], a), Math.min(board.box[1], b), Math.max(board.box[2], d), Math.max(board.box[3], e)];
  }
  board.findings.push(...doubts(board, contours));
  if (drawing.texts.length > 0)
    board.findings.push({
      code: 'texts',
      severity: 'look',
      count: drawing.texts.length,
      message: `${drawing.texts.length} ${drawing.texts.length === 1 ? 'text is' : 'texts are'} not on the board: letters of a file are no geometry.`,
      remedy: 'Draw them as lines (Words, on the Source step), and they go onto the legend.',
    });
  return { board, contours };
}

/** Circles in so many lines and more are taken for circles that were cut to pieces. */
const leastChords = 8;

/** What may be meant otherwise: an outline that is open, several boards, circles in lines. */
function doubts(board: Board, contours: readonly BoardContour[]): Finding[] {
  const out: Finding[] = [];
  const [a, b, c, d] = board.box;
  for (const { contour, why } of contours) {
    if (contour.closed || why !== 'open') continue;
    const box = boxOfContour(contour);
    if (box[0] <= a && box[1] <= b && box[2] >= c && box[3] >= d)
      out.push({
        code: 'open-around',
        severity: 'stop',
        count: 1,
        message: `A line that is open goes round the whole board ${place(endOf(contour.segments[contour.segments.length - 1]))}: it may be the edge that is meant.`,
        remedy: 'Close its gap on the Soundness step, or say what it is.',
      });
  }
  const closed = contours.filter((x) => x.meaning === 'edge').length;
  if (closed > 1)
    out.push({
      code: 'several-boards',
      severity: 'look',
      count: closed,
      message: `The drawing holds ${closed} boards side by side; shops take one at a time, or a panel.`,
      remedy: 'Bring them in one by one, or make a panel of one.',
    });
  for (const x of contours) {
    const size = x.meaning === 'cut-out' ? roundInLines(x.contour) : null;
    if (size)
      out.push({
        code: 'circle-in-lines',
        severity: 'look',
        count: 1,
        message: `A cut-out ${place(size.at)} is a circle of ${Number(size.diameter.toFixed(3))} mm in ${x.contour.segments.length} lines: it is routed, not drilled.`,
        remedy: 'Let lines become arcs on the Soundness step.',
      });
  }
  return out;
}

/** The circle whose corners a contour of lines has; null when it has none. */
function roundInLines({ segments }: Contour): { at: P2; diameter: number } | null {
  if (segments.length < leastChords || segments.some((s) => s.kind !== 'line')) return null;
  const points = segments.map(startOf);
  const at: P2 = [points.reduce((n, p) => n + p[0], 0) / points.length, points.reduce((n, p) => n + p[1], 0) / points.length];
  const radii = points.map((p) => distance(p, at));
  const [low, high] = [Math.min(...radii), Math.max(...radii)];
  return high - low <= 0.002 * high ? { at, diameter: low + high } : null;
}

function take(board: Board, { contour, meaning, layer }: BoardContour, choice: BoardChoice): void {
  if (meaning === 'nothing') return;
  if (!contour.closed && closedOnly.has(meaning)) {
    if (meaning === 'edge')
      throw new Unusable(
        'open-edge',
        `The board edge on layer "${layer}" is open ${place(middleOf(contour))}.`,
        'Close its gap on the Soundness step, or say that it is something else.',
      );
    board.findings.push({
      code: 'open-contour',
      severity: 'stop',
      count: 1,
      message: `An open contour on layer "${layer}" is said to be ${boardWords[meaning]} ${place(middleOf(contour))}; it is not on the board.`,
      remedy: 'Close it, or say that it is something else.',
    });
    return;
  }
  takers[meaning](board, contour, choice);
}

/** Where each meaning goes. */
const takers: Record<BoardMeaning, (board: Board, contour: Contour, choice: BoardChoice) => void> = {
  edge: (b, c, choice) => b.edges.push(edged(b, c, choice, false)),
  'cut-out': (b, c, choice) => b.cutOuts.push(edged(b, c, choice, true)),
  plated: (b, c) => drilled(b, c, true),
  bare: (b, c) => drilled(b, c, false),
  slot: (b, c) => slotted(b, c, false),
  'plated-slot': (b, c) => slotted(b, c, true),
  copper: (b, c) => b.top.copper.push(tracksOf(c)),
  'copper-bottom': (b, c) => b.bottom.copper.push(tracksOf(c)),
  'keep-out': (b, c) => b.keepOuts.push(tracksOf(c)),
  legend: (b, c) => b.top.legendLines.push(tracksOf(c)),
  'legend-filled': (b, c) => b.top.legendFilled.push(tracksOf(c)),
  'legend-bottom': (b, c) => b.bottom.legendLines.push(tracksOf(c)),
  'legend-bottom-filled': (b, c) => b.bottom.legendFilled.push(tracksOf(c)),
  mask: (b, c) => b.top.mask.push(tracksOf(c)),
  'mask-bottom': (b, c) => b.bottom.mask.push(tracksOf(c)),
  nothing: () => {},
};

/** An edge or cut-out, its inner corners rounded when asked. */
function edged(board: Board, contour: Contour, { innerRadius }: BoardChoice, inside: boolean): Chain {
  const tracks = tracksOf(contour);
  if (innerRadius === 0) return tracks;
  const { tracks: out, left } = rounded(tracks, innerRadius, areaOfContour(contour) > 0 === inside);
  for (const at of left)
    board.findings.push({
      code: 'corner-left',
      severity: 'look',
      count: 1,
      message: `An inner corner ${place(at)} could not be rounded by ${innerRadius} mm: its sides are too short or bent.`,
      remedy: 'Draw the round, or take a smaller radius.',
    });
  return out;
}

function drilled(board: Board, contour: Contour, plated: boolean): void {
  const [first] = contour.segments;
  const round = contour.segments.length > 0 && contour.segments.every((s): s is ArcSegment => s.kind === 'arc' && sameCircle(s, first as ArcSegment));
  if (!round || !(isFull(first) || Math.abs(contour.segments.reduce((n, s) => n + (s as ArcSegment).sweep, 0)) > 2 * Math.PI - 1e-6)) {
    board.cutOuts.push(tracksOf(contour));
    board.findings.push({
      code: 'no-circle',
      severity: 'look',
      count: 1,
      message: `A contour ${place(middleOf(contour))} is said to be a ${plated ? 'plated' : 'bare'} hole and is no circle: it is cut out, ${plated ? 'not plated' : 'not drilled'}.`,
      remedy: 'Let lines become arcs on the Soundness step, or say that it is a cut-out.',
    });
    return;
  }
  const { centre, radius } = first as ArcSegment;
  board.holes.push({ at: centre, diameter: 2 * radius, plated });
}
const sameCircle = (s: ArcSegment, first: ArcSegment): boolean => first.kind === 'arc' && Math.hypot(s.centre[0] - first.centre[0], s.centre[1] - first.centre[1]) < 1e-6 && Math.abs(s.radius - first.radius) < 1e-6; // prettier-ignore

function slotted(board: Board, contour: Contour, plated: boolean): void {
  const found = obroundOf(contour);
  if (found) {
    board.slots.push({ path: [{ kind: 'line', a: found.a, b: found.b }], width: found.width, plated });
    return;
  }
  if (!contour.closed) {
    board.slots.push({ path: tracksOf(contour), width: contour.width ?? usualSlot, plated });
    if (!contour.width)
      board.findings.push({
        code: 'slot-width',
        severity: 'look',
        count: 1,
        message: `A line ${place(middleOf(contour))} is a slot and states no width: ${usualSlot} mm is taken.`,
        remedy: 'Draw the slot as an outline with round ends.',
      });
    return;
  }
  board.cutOuts.push(tracksOf(contour));
  board.findings.push({
    code: 'no-slot',
    severity: 'look',
    count: 1,
    message: `A contour ${place(middleOf(contour))} is said to be a slot and has no two straight sides with round ends: it is cut out${plated ? ', not plated' : ''}.`,
    remedy: 'Draw it with half-round ends, or say that it is a cut-out.',
  });
}
