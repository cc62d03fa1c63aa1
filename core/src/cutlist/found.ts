import Flatbush from 'flatbush';
import { transformed, type Affine } from '../curves/affine.ts';
import { areaOfContour, boxOfContour, lengthOfContour, type Contour, type Drawing } from '../curves/drawing.ts';
import { flattened } from '../curves/flatten.ts';
import { areaAxis } from '../curves/moments.ts';
import { nest } from '../curves/nest.ts';
import { offsetDeviation } from '../curves/offset.ts';
import { startOf, type P2 } from '../curves/segment.ts';
import { distances, fine, toChord } from './apart.ts';
import type { NestChoice } from './how.ts';
import type { Fallen } from './network.ts';
import type { CutRow } from './row.ts';
import { circleOf, drawnOf } from './row-drawing.ts';

/** Places that far apart are the same, mm. */
export const place = 0.02;
/** Areas nearer than this share are the same. */
export const areaShare = 1e-5;

/** A part that was found on a sheet by its shape alone. */
export interface FoundPart {
  row: CutRow;
  mirrored: boolean;
  /** Degrees: every turn under which it looks as it was found. */
  turns: number[];
  /** Contours of the row that are not there, by layer. */
  missing: number;
  /** A disc with nothing in it that tells its turn. */
  round: boolean;
  box: [number, number, number, number];
  points: P2[];
  /** Contours that are openings, pockets and islands of it. */
  own: Contour[];
}

/** What a machine finds on a sheet: parts by their shapes, and what it makes nothing of. */
export interface FoundSheet {
  parts: FoundPart[];
  strange: { at: P2; area: number }[];
  /** Pieces of no listed part that shared cuts leave between parts: every side of them is the side of a part. */
  scrap: number;
  /** The nearest two parts come to each other, mm; Infinity for one alone. */
  apart: number;
  overlaps: number;
  edge: Contour | null;
  /** Rows of the same shape by the first of them: on a sheet nobody can tell them apart. */
  alike: ReadonlyMap<string, string>;
}

interface Shape {
  contour: Contour;
  area: number;
  /** Length of its border, mm. */
  round: number;
  centre: P2;
  /** Ends of pieces about the middle: angle and distance, farthest first. */
  polar: { r: number; a: number }[];
  chords: P2[];
}

/** Area's middle by chords. Source: any handbook of geometry. */
export function middleOf(points: readonly P2[]): { centre: P2; area: number } {
  const [ox, oy] = points[0];
  let [sum, cx, cy] = [0, 0, 0];
  points.forEach(([px, py], i) => {
    const [qx, qy] = points[(i + 1) % points.length];
    const k = (px - ox) * (qy - oy) - (qx - ox) * (py - oy);
    sum += k;
    cx += (px + qx - 2 * ox) * k;
    cy += (py + qy - 2 * oy) * k;
  });
  return { centre: [ox + cx / (3 * sum), oy + cy / (3 * sum)], area: Math.abs(sum) / 2 };
}

function shapeOf(contour: Contour): Shape {
  const chords = flattened(contour.segments, fine).slice(0, -1);
  const { centre, area } = middleOf(chords);
  const ends = circleOf(contour) ? [] : contour.segments.map(startOf);
  const polar = ends.map(([x, y]) => ({ r: Math.hypot(x - centre[0], y - centre[1]), a: Math.atan2(y - centre[1], x - centre[0]) })).sort((p, q) => q.r - p.r);
  return { contour, area, round: lengthOfContour(contour), centre, polar, chords };
}

/** What a row looks like from above, for comparing. */
interface Known {
  row: CutRow;
  outline: Shape;
  /** Of other pieces than lines and arcs. */
  curved: boolean;
  others: { contour: Contour; through: boolean }[];
}

function knownOf(row: CutRow, choice: NestChoice): Known {
  const drawn = drawnOf(row, choice).filter(([, meaning]) => meaning !== 'mark' && meaning !== 'engrave' && meaning !== 'score');
  const closed = drawn.filter(([, , c]) => c.closed).sort((a, b) => Math.abs(areaOfContour(b[2])) - Math.abs(areaOfContour(a[2])));
  const [first, ...rest] = closed;
  return {
    row,
    outline: shapeOf(first[2]),
    curved: first[2].segments.some((s) => s.kind !== 'line' && s.kind !== 'arc'),
    others: rest.map(([, meaning, contour]) => ({ contour, through: meaning !== 'pocket' })),
  };
}

/** Whether the name of a layer ends in a diameter and a depth, as "_D35_12_5MM" does: two numbers at least. */
const saysDepth = (name: string): boolean => /._./.test(/_D([\d_]+)MM$/i.exec(name)?.[1] ?? '');

/**
 * Looks for the parts of a list on a received sheet by their shapes: the plan of where they lie is not asked. Openings and pockets of each are looked for
 * at their places; distances are from chords of what was received.
 * @param fallen what shared cuts part the sheet into, when they are
 */
export function foundOnSheet(drawing: Drawing, rows: readonly CutRow[], choice: NestChoice, fallen: Fallen | null = null): FoundSheet {
  const { names } = choice;
  const named = (name: string) => drawing.layers.filter((l) => l.name.toUpperCase() === name.toUpperCase()).flatMap((l) => l.contours);
  const skipped = [names.label, names.sheet, names.text, names.engrave, names.mark].map((n) => n.toUpperCase());
  const layers = drawing.layers.filter((l) => {
    const name = l.name.toUpperCase();
    return !skipped.includes(name) && !name.startsWith('SAW_') && !name.startsWith(names.back.toUpperCase());
  });
  const through = layers.filter((l) => !l.name.toUpperCase().startsWith(names.pocket.toUpperCase()) && !saysDepth(l.name));
  const nested = nest({ layers: through, texts: [], points: [] });
  const outer = nested.filter((n) => n.depth % 2 === 0).map((n) => ({ n, shape: shapeOf(through[n.layer].contours[n.contour]) }));
  const all = layers.flatMap((l) => l.contours).filter((c) => c.closed);
  const boxes = new Flatbush(Math.max(1, all.length));
  if (all.length === 0) boxes.add(0, 0, 0, 0);
  for (const c of all) boxes.add(...boxOfContour(c));
  boxes.finish();
  const near = (box: readonly number[]) => boxes.search(box[0] - place, box[1] - place, box[2] + place, box[3] + place).map((k) => all[k]);
  const known = rows.filter((r) => r.kind === 'panel' && r.layers.some((l) => l.contours.length > 0)).map((r) => knownOf(r, choice));
  const parts: FoundPart[] = [];
  const unknown: Shape[] = [];
  const explained = new Set<Contour>();
  const ofParts = new Set<number>();
  // Curves that are parted by tabs or moved by half a cut become arcs.
  const slack = choice.shared || choice.tabs ? 2 * offsetDeviation : 0;
  for (const { shape } of outer) {
    // An island in an opening of a part belongs to that part.
    if (explained.has(shape.contour)) continue;
    const best = bestMatch(known, shape, near, slack);
    if (best) {
      parts.push(best);
      for (const c of best.own) explained.add(c);
      ofParts.add(fallen?.faceOf.get(shape.contour) ?? -1);
    } else unknown.push(shape);
  }
  const between = (s: Shape): boolean => {
    const face = fallen?.faceOf.get(s.contour);
    return face !== undefined && fallen!.parted.faces[face].beside.every((k) => k >= 0 && ofParts.has(k));
  };
  const strange = unknown.filter((s) => !between(s)).map(({ centre, area }) => ({ at: centre, area }));
  // Scrap may come as near to other scrap as it likes.
  const scrap = new Set(unknown.filter(between).map((s) => s.contour));
  const kept = scrap.size === 0 ? through : through.map((l) => ({ ...l, contours: l.contours.filter((c) => !scrap.has(c)) }));
  const { apart, overlaps } = distances(kept, scrap.size === 0 ? nested : nest({ layers: kept, texts: [], points: [] }), explained);
  return { parts, strange, scrap: unknown.length - strange.length, apart, overlaps, edge: named(names.sheet)[0] ?? null, alike: alikeRows(known) };
}

/**
 * The row whose outline, openings and pockets are there. As it is made first: of two rows that are mirror images each is found as itself.
 * @param slack what an outline of other curves than arcs may be off all round, mm
 */
function bestMatch(known: readonly Known[], shape: Shape, near: (box: readonly number[]) => Contour[], slack: number): FoundPart | null {
  let best: FoundPart | null = null;
  for (const mirrored of [false, true])
    for (const k of known) {
      if (best?.missing === 0) return best;
      if (Math.abs(k.outline.area - shape.area) > areaShare * shape.area + place * 0.1 + (k.curved ? slack * k.outline.round : 0)) continue;
      const found = matched(k, shape, mirrored, near, slack > 0);
      if (found && (!best || found.missing < best.missing)) best = found;
    }
  return best;
}

/** For each row the first that has the same shape, openings and pockets, not mirrored. */
function alikeRows(known: readonly Known[]): Map<string, string> {
  const first = new Map<string, string>();
  known.forEach((k, i) => {
    const contours = k.others.map((o) => o.contour);
    const same = known.slice(0, i).find((o) => o.others.length === k.others.length && Math.abs(o.outline.area - k.outline.area) <= areaShare * k.outline.area && matched(o, k.outline, false, () => contours)?.missing === 0); // prettier-ignore
    first.set(k.row.key, same ? (first.get(same.row.key) ?? same.row.key) : k.row.key);
  });
  return first;
}

/** The turn under which a row's outline lies on a found one with as many of its openings as can be; null when it never does. */
// eslint-disable-next-line max-params -- two shapes, how they are compared, and what lies there
function matched(known: Known, shape: Shape, mirrored: boolean, near: (box: readonly number[]) => Contour[], arced = false): FoundPart | null {
  let best: FoundPart | null = null;
  for (const turn of known.curved && arced ? turnsByArea(known.outline, shape, mirrored) : turnsTried(known.outline, shape, mirrored)) {
    const map = onto(known.outline.centre, shape.centre, turn, mirrored);
    if (!lies(known.outline, shape, map)) continue;
    const own = known.others.map(({ contour }) => thereAs(contour, map, near));
    const missing = own.filter((c) => c === null).length;
    const degrees = ((((turn * 180) / Math.PI) % 360) + 360) % 360;
    if (best && missing === best.missing) best.turns.push(degrees);
    if (best && missing >= best.missing) continue;
    best = {
      row: known.row,
      mirrored,
      turns: [degrees],
      missing,
      round: known.outline.polar.length === 0 && known.others.length === 0,
      box: boxOfContour(shape.contour),
      points: shape.chords,
      own: own.filter((c) => c !== null),
    };
  }
  return best;
}

/** The contour that is where a row's contour comes to lie under a map; null when there is none. */
function thereAs(contour: Contour, map: Affine, near: (box: readonly number[]) => Contour[]): Contour | null {
  const meant = { ...contour, segments: contour.segments.map((s) => transformed(s, map)) };
  const box = boxOfContour(meant);
  const area = Math.abs(areaOfContour(meant));
  const there = near(box).find((c) => {
    const b = boxOfContour(c);
    return box.every((v, i) => Math.abs(v - b[i]) < place) && Math.abs(Math.abs(areaOfContour(c)) - area) < 1e-3 * area + 1e-3;
  });
  return there ?? null;
}

/** A disc is tried at these turns, rad: what lies in it off its middle is looked for there. */
const roundTurns = Array.from({ length: 24 }, (_, k) => (k * Math.PI) / 12);

/** Angles at which ends of one outline can lie on ends of the other as far out. */
function turnsTried(a: Shape, b: Shape, mirrored: boolean): number[] {
  if (a.polar.length === 0 || b.polar.length === 0) return a.polar.length === b.polar.length ? roundTurns : [];
  const [far] = a.polar;
  const angle = mirrored ? Math.PI - far.a : far.a;
  const out: number[] = [];
  for (const p of b.polar) {
    if (Math.abs(p.r - far.r) > place) continue;
    const turn = p.a - angle;
    if (out.every((t) => Math.abs(Math.sin((t - turn) / 2)) > 1e-6)) out.push(turn);
    if (out.length > 64) break;
  }
  return out;
}

/** Axes of area that are no more different than this share tell no turn. */
const equalAxes = 1e-3;
const mostRefined = 12;

/** Turns of an outline whose curves came as arcs, with other ends than it had: by the axes of its area, then by what is left between the two borders. */
function turnsByArea(a: Shape, b: Shape, mirrored: boolean): number[] {
  const [p, q] = [axisOf(a), axisOf(b)];
  const from = p !== null && mirrored ? Math.PI - p : p;
  const tried = from === null || q === null ? roundTurns : [q - from, q - from + Math.PI];
  return tried.map((turn) => refined(a, b, turn, mirrored));
}

/** Angle of the longer axis of a shape's area, rad; null when it has none. */
function axisOf({ chords }: Shape): number | null {
  const { angle, longer } = areaAxis(chords);
  return longer < equalAxes ? null : angle;
}

/** A turn moved on until the borders lie on each other as well as they can. Source: point-to-line registration, Chen and Medioni, 1991, for one angle. */
function refined(a: Shape, b: Shape, first: number, mirrored: boolean): number {
  let turn = first;
  const step = Math.max(1, Math.floor(a.chords.length / 100));
  const [cx, cy] = b.centre;
  for (let k = 0; k < mostRefined; k++) {
    const m = onto(a.centre, b.centre, turn, mirrored);
    let [sum, square] = [0, 0];
    for (let i = 0; i < a.chords.length; i += step) {
      const [x, y] = [m[0] * a.chords[i][0] + m[2] * a.chords[i][1] + m[4], m[1] * a.chords[i][0] + m[3] * a.chords[i][1] + m[5]];
      const { off, normal } = nearestOf(x, y, b.chords);
      const arm = (x - cx) * normal[1] - (y - cy) * normal[0];
      sum += arm * off;
      square += arm * arm;
    }
    const by = square > 0 ? sum / square : 0;
    turn += by;
    if (Math.abs(by) < 1e-9) break;
  }
  return turn;
}

/** The nearest chord of a ring: how far it is along its normal, mm. */
function nearestOf(x: number, y: number, ring: readonly P2[]): { off: number; normal: P2 } {
  let [best, at] = [Infinity, 0];
  for (let i = 0; i < ring.length; i++) {
    const d = toChord(x, y, ring[i], ring[(i + 1) % ring.length]);
    if (d < best) [best, at] = [d, i];
  }
  const [p, q] = [ring[at], ring[(at + 1) % ring.length]];
  const long = Math.hypot(q[0] - p[0], q[1] - p[1]) || 1;
  const normal: P2 = [-(q[1] - p[1]) / long, (q[0] - p[0]) / long];
  return { off: (p[0] - x) * normal[0] + (p[1] - y) * normal[1], normal };
}

function onto(from: P2, to: P2, turn: number, mirrored: boolean): Affine {
  const [c, s] = [Math.cos(turn), Math.sin(turn)];
  const side = mirrored ? -1 : 1;
  const m: Affine = [c * side, s * side, -s, c, 0, 0];
  return [m[0], m[1], m[2], m[3], to[0] - (m[0] * from[0] + m[2] * from[1]), to[1] - (m[1] * from[0] + m[3] * from[1])];
}

/** Whether an outline under a map lies on another: every chord's end of each within a hair of the other's chords. */
function lies(a: Shape, b: Shape, m: Affine): boolean {
  const put = ([x, y]: P2): P2 => [m[0] * x + m[2] * y + m[4], m[1] * x + m[3] * y + m[5]];
  const moved = a.chords.map(put);
  return allNear(moved, b.chords) && allNear(b.chords, moved);
}

function allNear(points: readonly P2[], ring: readonly P2[]): boolean {
  const n = ring.length;
  const step = Math.max(1, Math.floor(points.length / 200));
  let hint = 0;
  for (let i = 0; i < points.length; i += step) {
    const [x, y] = points[i];
    let found = false;
    for (let k = 0; k < n && !found; k++) {
      const j = (hint + k) % n;
      if (toChord(x, y, ring[j], ring[(j + 1) % n]) < place * place) {
        hint = j;
        found = true;
      }
    }
    if (!found) return false;
  }
  return true;
}
