import Flatbush from 'flatbush';
import { transformed, type Affine } from '../curves/affine.ts';
import { areaOfContour, boxOfContour, type Contour, type Drawing } from '../curves/drawing.ts';
import { flattened } from '../curves/flatten.ts';
import { nest, pointInside } from '../curves/nest.ts';
import { cutThrough } from '../drawing/meaning.ts';
import { startOf, type P2 } from '../curves/segment.ts';
import type { ReceivedDrawing } from '../processes/cutters.ts';
import { evidenceOf, same, within, type Claim, type Evidence } from '../prove/evidence.ts';
import type { NestChoice } from './how.ts';
import { turnsFor } from './nest-rows.ts';
import type { NestedSheet } from './nested.ts';
import type { CutRow } from './row.ts';
import { circleOf, drawnOf } from './sheet-drawing.ts';

/** Outlines are compared by chords within this of the curves; places that far apart are the same, mm. */
const fine = 0.002;
const place = 0.02;
/** Areas nearer than this share are the same. */
const areaShare = 1e-5;

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
  centre: P2;
  /** Ends of pieces about the middle: angle and distance, farthest first. */
  polar: { r: number; a: number }[];
  chords: P2[];
}

/** Area's middle by chords. Source: any handbook of geometry. */
function middleOf(points: readonly P2[]): { centre: P2; area: number } {
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
  return { contour, area, centre, polar, chords };
}

/** What a row looks like from above, for comparing. */
interface Known {
  row: CutRow;
  outline: Shape;
  others: { contour: Contour; through: boolean }[];
}

function knownOf(row: CutRow, choice: NestChoice): Known {
  const drawn = drawnOf(row, choice).filter(([, meaning]) => meaning !== 'mark' && meaning !== 'engrave' && meaning !== 'score');
  const closed = drawn.filter(([, , c]) => c.closed).sort((a, b) => Math.abs(areaOfContour(b[2])) - Math.abs(areaOfContour(a[2])));
  const [first, ...rest] = closed;
  return { row, outline: shapeOf(first[2]), others: rest.map(([, meaning, contour]) => ({ contour, through: meaning !== 'pocket' })) };
}

/**
 * Looks for the parts of a list on a received sheet by their shapes: the plan of where they lie is not asked. Openings and pockets of each are looked for
 * at their places; distances are from chords of what was received.
 */
export function foundOnSheet(drawing: Drawing, rows: readonly CutRow[], choice: NestChoice): FoundSheet {
  const { names } = choice;
  const named = (name: string) => drawing.layers.filter((l) => l.name.toUpperCase() === name.toUpperCase()).flatMap((l) => l.contours);
  const skipped = [names.label, names.sheet, names.text, names.engrave, names.mark].map((n) => n.toUpperCase());
  const layers = drawing.layers.filter((l) => {
    const name = l.name.toUpperCase();
    return !skipped.includes(name) && !name.startsWith('SAW_') && !name.startsWith(names.back.toUpperCase());
  });
  const through = layers.filter((l) => !l.name.toUpperCase().startsWith(names.pocket.toUpperCase()) && !/_D[\d_]+_[\d_]+MM$/i.test(l.name));
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
  const strange: FoundSheet['strange'] = [];
  const explained = new Set<Contour>();
  for (const { shape } of outer) {
    // An island in an opening of a part belongs to that part.
    if (explained.has(shape.contour)) continue;
    const best = bestMatch(known, shape, near);
    if (best) {
      parts.push(best);
      for (const c of best.own) explained.add(c);
    } else strange.push({ at: shape.centre, area: shape.area });
  }
  const { apart, overlaps } = distances(through, nested, explained);
  return { parts, strange, apart, overlaps, edge: named(names.sheet)[0] ?? null, alike: alikeRows(known) };
}

/** The row whose outline, openings and pockets are there. As it is made first: of two rows that are mirror images each is found as itself. */
function bestMatch(known: readonly Known[], shape: Shape, near: (box: readonly number[]) => Contour[]): FoundPart | null {
  let best: FoundPart | null = null;
  for (const mirrored of [false, true])
    for (const k of known) {
      if (best?.missing === 0) return best;
      if (Math.abs(k.outline.area - shape.area) > areaShare * shape.area + place * 0.1) continue;
      const found = matched(k, shape, mirrored, near);
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
function matched(known: Known, shape: Shape, mirrored: boolean, near: (box: readonly number[]) => Contour[]): FoundPart | null {
  let best: FoundPart | null = null;
  for (const turn of turnsTried(known.outline, shape, mirrored)) {
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

/** Square of the distance from a place to a chord. */
function toChord(x: number, y: number, [ax, ay]: P2, [bx, by]: P2): number {
  const [dx, dy] = [bx - ax, by - ay];
  const long = dx * dx + dy * dy;
  const t = long > 0 ? Math.min(1, Math.max(0, ((x - ax) * dx + (y - ay) * dy) / long)) : 0;
  return (x - ax - t * dx) ** 2 + (y - ay - t * dy) ** 2;
}

/** The nearest that chords of different parts come to each other, and how many pairs cross or lie in each other. Openings count with their part. */
function distances(layers: Drawing['layers'], nested: ReturnType<typeof nest>, explained: ReadonlySet<Contour>): { apart: number; overlaps: number } {
  // Every contour belongs to the part that it is the outside of, or an opening or island of.
  const owner = new Map<number, number>();
  let next = 0;
  nested.forEach((n, i) => {
    const own = n.depth % 2 === 0 && !explained.has(layers[n.layer].contours[n.contour]);
    owner.set(i, own ? next++ : (owner.get(n.around) ?? -1));
  });
  const chords: { a: P2; b: P2; of: number }[] = [];
  nested.forEach((n, i) => {
    const ring = flattened(layers[n.layer].contours[n.contour].segments, fine);
    for (let k = 1; k < ring.length; k++) chords.push({ a: ring[k - 1], b: ring[k], of: owner.get(i)! });
  });
  if (next < 2 || chords.length === 0) return { apart: Infinity, overlaps: 0 };
  const index = new Flatbush(chords.length);
  for (const { a, b } of chords) index.add(Math.min(a[0], b[0]), Math.min(a[1], b[1]), Math.max(a[0], b[0]), Math.max(a[1], b[1]));
  index.finish();
  let apart = reach;
  const crossing = new Set<string>();
  for (const c of chords) {
    const hits = index.search(Math.min(c.a[0], c.b[0]) - apart, Math.min(c.a[1], c.b[1]) - apart, Math.max(c.a[0], c.b[0]) + apart, Math.max(c.a[1], c.b[1]) + apart, (k) => chords[k].of > c.of); // prettier-ignore
    for (const k of hits) {
      const d = chords[k];
      if (cross(c.a, c.b, d.a, d.b)) crossing.add(`${c.of} ${d.of}`);
      apart = Math.min(apart, Math.sqrt(Math.min(toChord(...c.a, d.a, d.b), toChord(...c.b, d.a, d.b), toChord(...d.a, c.a, c.b), toChord(...d.b, c.a, c.b))));
    }
  }
  for (const pair of lyingIn(layers, nested, owner)) crossing.add(pair);
  return { apart: crossing.size > 0 ? 0 : apart, overlaps: crossing.size };
}

/** A place this far within the material of another part is no touch, mm. */
const deep = 1e-3;

/** Pairs of parts of which one has a place of its border in the inside of the other: they overlap though no borders cross, as two in line do. */
function lyingIn(layers: Drawing['layers'], nested: ReturnType<typeof nest>, owner: ReadonlyMap<number, number>): Set<string> {
  const rings = new Map<number, P2[][]>();
  nested.forEach((n, i) => {
    const ring = flattened(layers[n.layer].contours[n.contour].segments, fine);
    rings.set(owner.get(i)!, [...(rings.get(owner.get(i)!) ?? []), ring]);
  });
  const parts = [...rings].map(([of, list]) => ({ of, list, flat: list.map((r) => r.slice(0, -1).flat()), box: list.flat().reduce((b, [x, y]) => [Math.min(b[0], x), Math.min(b[1], y), Math.max(b[2], x), Math.max(b[3], y)], [Infinity, Infinity, -Infinity, -Infinity]) })); // prettier-ignore
  const index = new Flatbush(Math.max(1, parts.length));
  if (parts.length === 0) index.add(0, 0, 0, 0);
  for (const p of parts) index.add(p.box[0], p.box[1], p.box[2], p.box[3]);
  index.finish();
  const found = new Set<string>();
  for (const a of parts)
    for (const k of index.search(a.box[0], a.box[1], a.box[2], a.box[3])) {
      const b = parts[k];
      if (b === a || found.has(`${Math.min(a.of, b.of)} ${Math.max(a.of, b.of)}`)) continue;
      const inside = ([x, y]: P2): boolean => {
        if (x <= b.box[0] || x >= b.box[2] || y <= b.box[1] || y >= b.box[3]) return false;
        if (b.flat.reduce((n, r) => n + Number(pointInside(r, x, y)), 0) % 2 === 0) return false;
        return b.list.every((r) => r.every((p, i) => i === 0 || toChord(x, y, r[i - 1], p) > deep * deep));
      };
      const meets = a.list.some((r) => r.some((p, i) => i > 0 && (inside(p) || inside([(p[0] + r[i - 1][0]) / 2, (p[1] + r[i - 1][1]) / 2]))));
      if (meets) found.add(`${Math.min(a.of, b.of)} ${Math.max(a.of, b.of)}`);
    }
  return found;
}

/** Distances are looked for up to this, mm. */
const reach = 60;

function cross(a: P2, b: P2, c: P2, d: P2): boolean {
  const side = (p: P2, q: P2, r: P2) => (q[0] - p[0]) * (r[1] - p[1]) - (q[1] - p[1]) * (r[0] - p[0]);
  return side(a, b, c) * side(a, b, d) < 0 && side(c, d, a) * side(c, d, b) < 0;
}

/** What is claimed of a sheet file beyond what every drawing is held against. */
export function sheetClaims(
  sheet: NestedSheet,
  rows: readonly CutRow[],
  choice: NestChoice,
  received: ReceivedDrawing,
): { claims: Claim[]; found: FoundSheet } {
  const found = foundOnSheet(received.drawing, rows, choice);
  const missing = found.parts.reduce((n, p) => n + p.missing, 0);
  const claims: Claim[] = [
    same('Parts found by shape', sheet.parts.length, found.parts.length),
    same('Outlines of no listed part', 0, found.strange.length),
    quantityClaim(sheet, rows, found),
    mirrorClaim(sheet, choice, found),
    same('Openings and pockets missing', 0, missing),
    same('Parts that overlap', 0, found.overlaps),
  ];
  const least = choice.saw ? choice.kerf : Math.max(choice.spacing, choice.kerf);
  if (found.apart < Infinity && least > 0) claims.push(atLeast('Least distance of parts', least, found.apart, 2 * fine + 1e-6));
  claims.push(insideClaim(sheet, found, choice), orderClaim(received));
  if (choice.grain !== 'none') claims.push(same('Parts with the grain across', 0, acrossGrain(found, choice)));
  if (choice.saw) claims.push(replayClaim(sheet, received.drawing, found, choice));
  return { claims, found };
}

/** As many of each row as lie there by the plan. */
function quantityClaim(sheet: NestedSheet, rows: readonly CutRow[], found: FoundSheet): Claim {
  const counted = (list: readonly string[]) => {
    const by = new Map<string, number>();
    for (const key of list) by.set(key, (by.get(key) ?? 0) + 1);
    return by;
  };
  const as = (key: string) => found.alike.get(key) ?? key;
  const [meant, got] = [counted(sheet.parts.map((p) => as(p.row))), counted(found.parts.map((p) => as(p.row.key)))];
  const wrong = [...new Set([...meant.keys(), ...got.keys()])].find((k) => (meant.get(k) ?? 0) !== (got.get(k) ?? 0));
  const name = rows.find((r) => r.key === wrong)?.name ?? wrong;
  return same('Quantity of each part', 'as listed', wrong === undefined ? 'as listed' : `${name}: ${got.get(wrong) ?? 0} instead of ${meant.get(wrong) ?? 0}`);
}

/** Parts that were found turned over: none, or no more than the plan has. */
function mirrorClaim(sheet: NestedSheet, choice: NestChoice, found: FoundSheet): Claim {
  const count = found.parts.filter((p) => p.mirrored).length;
  if (!choice.mirror) return same('Mirrored parts', 0, count);
  const planned = sheet.parts.filter((p) => p.mirrored).length;
  return same('Mirrored parts', 'as planned', count <= planned ? 'as planned' : `${count} found`);
}

/** A figure that must not be under a limit. */
function atLeast(quantity: string, limit: number, received: number, tolerance: number): Claim {
  return {
    quantity,
    unit: 'mm',
    designed: limit,
    received: Number(Math.min(received, 1e4).toFixed(6)),
    difference: null,
    tolerance: null,
    verdict: received >= limit - tolerance ? 'clear' : 'stop',
  };
}

function insideClaim(sheet: NestedSheet, found: FoundSheet, choice: NestChoice): Claim {
  const rim = choice.saw ? choice.saw.trim : choice.rim;
  const edge = found.edge;
  if (!edge) return same('Parts off the sheet', 0, 'the sheet has no edge in the file');
  const ring = flattened(edge.segments, fine);
  const flat = ring.flat();
  const off = found.parts.filter((p) =>
    p.points.some(([x, y]) => {
      if (!sheet.outline) return x < rim - place || y < rim - place || x > sheet.width - rim + place || y > sheet.height - rim + place;
      if (!pointInside(flat, x, y)) return true;
      for (let k = 1; k < ring.length; k++) if (toChord(x, y, ring[k - 1], ring[k]) < Math.max(0, rim - place) ** 2) return true;
      return false;
    }),
  );
  return same('Parts off the sheet or in its rim', 0, off.length);
}

/** What lies in something is cut before it, at any depth. What lies in what is asked by chords here, by the machine from its own nesting. */
function orderClaim({ meant, order }: ReceivedDrawing): Claim {
  const step = new Map(order.map((s, i) => [s.number, i]));
  const through = meant.filter((m) => m.contour.closed && cutThrough.has(m.meaning));
  const rings = through.map((m) => flattened(m.contour.segments, fine));
  const boxes = new Flatbush(Math.max(1, rings.length));
  if (rings.length === 0) boxes.add(0, 0, 0, 0);
  for (const m of through) boxes.add(...boxOfContour(m.contour));
  boxes.finish();
  let late = 0;
  through.forEach((m, i) => {
    const [x, y] = rings[i][0];
    const around = boxes.search(x, y, x, y).filter((k) => k !== i && pointInside(rings[k].flat(), x, y));
    if (around.some((k) => (step.get(m.number) ?? Infinity) > (step.get(through[k].number) ?? -1))) late++;
  });
  return same('Openings cut after their outline', 0, late);
}

/** Parts that lie across the grain in every turn under which they look as they were found; a disc has no turn. */
function acrossGrain(found: FoundSheet, choice: NestChoice): number {
  return found.parts.filter(({ row, turns, round }) => {
    if (row.grain === 'none' || round) return false;
    const allowed = turnsFor(row.grain, choice.grain, choice.turns);
    return !turns.some((t) => allowed.some((a) => Math.abs(Math.sin(((a - t) * Math.PI) / 180)) < 1e-4));
  }).length;
}

/** The saw's cuts, read from the file in their order, part the sheet into exactly the listed parts: each goes across one piece from edge to edge. */
function replayClaim(sheet: NestedSheet, drawing: Drawing, found: FoundSheet, choice: NestChoice): Claim {
  const cuts = drawing.layers.filter((l) => /^SAW_\d+$/i.test(l.name)).sort((a, b) => Number(a.name.slice(4)) - Number(b.name.slice(4)));
  const pieces: [number, number, number, number][] = [[0, 0, sheet.width, sheet.height]];
  const { kerf } = choice;
  const trim = choice.saw!.trim;
  for (const [i, layer] of cuts.entries()) {
    const box = layer.contours.map(boxOfContour).reduce((a, b) => [Math.min(a[0], b[0]), Math.min(a[1], b[1]), Math.max(a[2], b[2]), Math.max(a[3], b[3])]);
    const along = box[3] - box[1] < box[2] - box[0] ? 'x' : 'y';
    const at = along === 'x' ? box[1] : box[0];
    const k = pieces.findIndex((p) =>
      along === 'x'
        ? at > p[1] + place && at < p[3] - place && near(box[0], p[0]) && near(box[2], p[2])
        : at > p[0] + place && at < p[2] - place && near(box[1], p[1]) && near(box[3], p[3]),
    );
    if (k < 0) return same('Saw cuts replayed', 'exactly the listed parts', `cut ${i + 1} does not go from edge to edge`);
    const [l, b, r, t] = pieces[k];
    // The four trims take their strip off on their own side; what they leave begins at the trim.
    const trimming = trim > 0 && i < 4;
    const low: (typeof pieces)[number] = along === 'x' ? [l, b, r, at] : [l, b, at, t];
    const high: (typeof pieces)[number] = along === 'x' ? [l, at + (trimming ? 0 : kerf), r, t] : [at + (trimming ? 0 : kerf), b, r, t];
    pieces.splice(k, 1, ...[low, high].filter((p) => p[2] - p[0] > place && p[3] - p[1] > place));
  }
  const left = [...pieces];
  for (const part of found.parts) {
    const k = left.findIndex((p) => p.every((v, i) => Math.abs(v - part.box[i]) < place * 2));
    if (k < 0) return same('Saw cuts replayed', 'exactly the listed parts', `no piece for ${part.row.name}`);
    left.splice(k, 1);
  }
  return same('Saw cuts replayed', 'exactly the listed parts', 'exactly the listed parts');
}
const near = (a: number, b: number): boolean => Math.abs(a - b) < place;

/** Over all sheets: what is listed, what lies on sheets and what was found there are the same number and area. */
export function runEvidence(rows: readonly CutRow[], found: readonly FoundSheet[], notPlaced: readonly { row: string; copies: number }[]): Evidence {
  const panels = rows.filter((r) => r.kind === 'panel');
  const missing = (k: string) => notPlaced.filter((n) => n.row === k).reduce((n, p) => n + p.copies, 0);
  const as = (key: string) => found[0]?.alike.get(key) ?? key;
  const [meant, got] = [new Map<string, number>(), new Map<string, number>()];
  const add = (to: Map<string, number>, key: string, n: number) => to.set(as(key), (to.get(as(key)) ?? 0) + n);
  for (const f of found) for (const p of f.parts) add(got, p.row.key, 1);
  for (const r of panels) add(meant, r.key, r.quantity - missing(r.key));
  const wrong = panels.find((r) => (got.get(as(r.key)) ?? 0) !== meant.get(as(r.key)));
  const meantArea = panels.reduce((sum, r) => sum + outlineArea(r) * (r.quantity - missing(r.key)), 0);
  const gotArea = found.reduce((sum, f) => sum + f.parts.reduce((s, p) => s + middleOf(p.points).area, 0), 0);
  const left = notPlaced.reduce((n, p) => n + p.copies, 0);
  const claims = [
    same(
      'Every listed part on a sheet',
      'once each',
      wrong ? `${wrong.name}: ${got.get(as(wrong.key)) ?? 0} instead of ${meant.get(as(wrong.key))}` : 'once each',
    ),
    within('Area of all outlines', 'mm2', meantArea, gotArea, Math.max(1, meantArea * areaShare)),
    same('Parts without a place', 0, left),
  ];
  return evidenceOf(claims, []);
}

/** Area within the outer contours of a row, openings not taken off. */
function outlineArea(row: CutRow): number {
  const cut = row.layers.filter((l) => l.meaning === 'cut').flatMap((l) => l.contours);
  return nest({ layers: [{ name: 'x', colour: null, lineType: 'CONTINUOUS', contours: cut }], texts: [], points: [] })
    .filter((n) => n.depth === 0)
    .reduce((sum, n) => sum + n.area, 0);
}
