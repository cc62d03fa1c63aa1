import { areaOfContour, boxOfDrawing, contourOf, emptyDrawing, type Contour, type Drawing, type Layer, type Meaning } from '../curves/drawing.ts';
import { mergedContour } from '../curves/fit.ts';
import { checkDrawing } from '../curves/check.ts';
import { distance, type P2, type Segment } from '../curves/segment.ts';
import { dot, lengthOf, cross } from '../geometry/vector.ts';
import type { Finding } from '../base/finding.ts';
import { Finder } from '../sheet/finder.ts';
import { fitted, movedContour, put, type FlatPlace } from '../sheet/pieces.ts';
import { areaOfStrip, layStrip, normalOf, triangulated, type Laid, type Strip } from './strip.ts';

/** A bend line of a developed part: its number, through what angle (degrees), and where. Lengths in mm. */
export interface DevelopedBend {
  order: number;
  angle: number;
  length: number;
  line: [P2, P2];
}

/** A part that was developed from its sizes, with what was held against it. Lengths in mm. */
export interface Developed {
  drawing: Drawing;
  bends: DevelopedBend[];
  /** Of the flat as it is drawn, mm2, and of the surface in space. */
  area: number;
  areaInSpace: number;
  /** How far the drawn contour is from the same part developed another way, at most. */
  checked: number;
  /** What of that is fitting lines and arcs. */
  deviation: number;
  findings: Finding[];
}

/** A strip with the number of bend lines it is bumped by; 0 for flat ones. */
export interface Bumped {
  strip: Strip;
  lines: number;
}

/** Space between pieces on one drawing, mm. */
const apart = 10;
/** Triangles for laying a curved strip flat the other way. */
const checkTriangles = 4096;
/** How far both ways may be apart besides fitting, mm. */
const agreeWithin = 0.005;

const named = (name: string, meaning: Meaning, lineType: string, contours: Contour[]): Layer => ({
  name,
  colour: null,
  lineType,
  contours: contours.map((c) => ({ ...c, meaning })),
});
const line = (a: P2, b: P2): Segment => ({ kind: 'line', a, b });

/**
 * Lays pieces flat, each a chain of strips from one seam to the next, seen from inside, so that every bend goes up; draws them side by side.
 * @param short where bend lines run into one point they end so far before it, mm.
 * @param allowed how far lines and arcs may be off the true curves, mm.
 */
export function layPieces(pieces: readonly Bumped[][], allowed: number, short: number): Developed {
  const cuts: Contour[] = [];
  const bends: DevelopedBend[] = [];
  let [right, checked, deviation, areaInSpace] = [0, 0, 0, 0];
  for (const piece of pieces) {
    const laid = chain(piece.map((p) => p.strip));
    const { contour, off } = contourOfChain(laid, allowed);
    deviation = Math.max(deviation, off);
    checked = Math.max(checked, heldAgainst(laid, contour));
    areaInSpace += piece.reduce((n, p) => n + areaOfStrip(p.strip), 0);
    const lines = piece.flatMap((p, i) => bendLines(laid[i], p.lines, short));
    const place = levelled(contour, laid, right === 0 ? 0 : right + apart);
    const moved = movedContour(mirrored(contour), place);
    right = boxOfDrawing({ ...emptyDrawing(), layers: [named('', 'cut', '', [moved])] })[2];
    cuts.push(moved);
    for (const b of lines) bends.push({ ...b, order: bends.length + 1, line: b.line.map((p) => put(place, [-p[0], p[1]])) as [P2, P2] });
  }
  const layers = [
    named('CUT', 'cut', 'CONTINUOUS', cuts),
    named('BEND_UP', 'bend-up', 'CENTER', bends.map((b) => contourOf([line(...b.line)], false))), // prettier-ignore
  ].filter((l) => l.contours.length > 0);
  const drawing: Drawing = { ...emptyDrawing(), labels: true, layers };
  const area = cuts.reduce((n, c) => n + Math.abs(areaOfContour(c)), 0);
  const made = { drawing, bends, area, areaInSpace, checked, deviation };
  return { ...made, findings: [...overlaps(cuts), ...agreement(made)] };
}

function chain(strips: readonly Strip[]): Laid[] {
  const out: Laid[] = [];
  for (const strip of strips) out.push(layStrip(strip, out.length > 0 ? out[out.length - 1].end : { at: [0, 0], angle: Math.PI / 2 }));
  return out;
}

/** First borders forward, the last line, second borders back, the first line. */
function contourOfChain(laid: readonly Laid[], allowed: number): { contour: Contour; off: number } {
  let off = 0;
  const border = (at: (t: number) => P2, kind: Strip['a']['kind']): Segment[] => {
    if (kind === 'corner') return [];
    if (kind === 'straight') return [line(at(0), at(1))];
    const done = fitted(at, allowed);
    off = Math.max(off, done.off);
    return done.segments;
  };
  const lower = laid.flatMap((l) => border(l.a, l.strip.a.kind));
  const upper = [...laid].reverse().flatMap((l) => border((t) => l.b(1 - t), l.strip.b.kind));
  const [first, last] = [laid[0], laid[laid.length - 1]];
  const contour = contourOf([...lower, line(last.a(1), last.b(1)), ...upper, line(first.b(0), first.a(0))], true);
  // Arcs of one circle in neighbouring strips are one arc.
  return { contour: mergedContour(contour, 1e-6), off };
}

/** The largest distance of the same strips, laid triangle by triangle, from a contour. */
function heldAgainst(laid: readonly Laid[], contour: Contour): number {
  const near = new Finder([contour]);
  let start = { at: laid[0].a(0), angle: Math.PI / 2 };
  let most = 0;
  for (const { strip } of laid) {
    const curved = strip.a.kind === 'curve' || strip.b.kind === 'curve';
    const other = triangulated(strip, start, curved ? checkTriangles : 1);
    for (const p of [...other.a, ...other.b]) most = Math.max(most, distance(p, near.nearest(p)));
    start = other.end;
  }
  return most;
}

/** Bend lines in the middle of equal shares of a strip; each bends through what its share turns. */
function bendLines(laid: Laid, lines: number, short: number): DevelopedBend[] {
  return Array.from({ length: lines }, (_, k) => {
    const [n, m] = [k, k + 1].map((i) => normalOf(laid.strip, i / lines));
    const t = (k + 0.5) / lines;
    const ends: [P2, P2] = [laid.a(t), laid.b(t)];
    const whole = distance(...ends);
    const from = laid.strip.a.kind === 'corner' ? Math.min(short / whole, 0.5) : 0;
    const to = laid.strip.b.kind === 'corner' ? Math.max(1 - short / whole, 0.5) : 1;
    const [p, q] = [from, to].map((x): P2 => [ends[0][0] + (ends[1][0] - ends[0][0]) * x, ends[0][1] + (ends[1][1] - ends[0][1]) * x]);
    return { order: 0, angle: (Math.atan2(lengthOf(cross(n, m)), dot(n, m)) * 180) / Math.PI, length: distance(p, q), line: [p, q] };
  });
}

/** Turned so that its ends below lie level, its low left corner at a place on X. */
function levelled(contour: Contour, laid: readonly Laid[], left: number): FlatPlace {
  const [p, q] = [laid[0].a(0), laid[laid.length - 1].a(1)].map(([x, y]): P2 => [-x, y]);
  const far = distance(p, q);
  const angle = far > 1e-9 ? -Math.atan2(p[1] - q[1], p[0] - q[0]) : 0;
  const turn: FlatPlace = { c: Math.cos(angle), s: Math.sin(angle), x: 0, y: 0 };
  const box = boxOfDrawing({ ...emptyDrawing(), layers: [named('', 'cut', '', [movedContour(mirrored(contour), turn)])] });
  return { ...turn, x: left - box[0], y: -box[1] };
}

/** Seen from the other side. */
function mirrored(c: Contour): Contour {
  const flip = ([x, y]: P2): P2 => [-x, y];
  return {
    ...c,
    segments: c.segments.map((s): Segment => {
      if (s.kind === 'line') return line(flip(s.a), flip(s.b));
      if (s.kind === 'arc') return { ...s, centre: flip(s.centre), start: Math.PI - s.start, sweep: -s.sweep };
      throw new RangeError(`a developed border has lines and arcs, not a ${s.kind}`);
    }),
  };
}

/** A stop where pieces of one flat would need the same sheet. */
export function overlaps(cuts: readonly Contour[]): Finding[] {
  const { crossings } = checkDrawing({ ...emptyDrawing(), layers: [named('CUT', 'cut', '', [...cuts])] });
  if (crossings.length === 0) return [];
  return [
    {
      code: 'flat-overlaps',
      severity: 'stop',
      count: crossings.length,
      message: `The flat overlaps itself at ${crossings.length} ${crossings.length === 1 ? 'place' : 'places'}, first at X ${crossings[0].at[0].toFixed(1)}, Y ${crossings[0].at[1].toFixed(1)} mm of the flat.`,
      remedy: 'Make it of two pieces, or higher.',
    },
  ];
}

/** Both ways of laying it flat, and both areas, told; a stop where they disagree. */
export function agreement({ checked, deviation, area, areaInSpace }: Pick<Developed, 'checked' | 'deviation' | 'area' | 'areaInSpace'>): Finding[] {
  const share = Math.abs(area - areaInSpace) / areaInSpace;
  const good = checked <= deviation + agreeWithin && share <= 1e-4;
  return [
    {
      code: 'developed',
      severity: good ? 'clear' : 'stop',
      count: 1,
      message: `Developed a second way, triangle by triangle, it lies within ${checked < 1e-4 ? '0.0001' : checked.toPrecision(2)} mm; its area is that of the surface in space within ${(share * 100).toPrecision(2)} %.`,
      remedy: good ? 'Nothing to do.' : 'Tell us with these sizes: this must not be cut.',
    },
  ];
}
