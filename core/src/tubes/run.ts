import { add, cross, distance, dot, lengthOf, scaled, sub, unit, type Vec3 } from '../geometry/vector.ts';

/** What a tube looks like across. Lengths in mm; `wall` is null for a full bar, `corner` the outside radius of its corners. */
export interface Section {
  shape: 'round' | 'square' | 'rectangular' | 'oval' | 'other';
  width: number;
  height: number;
  wall: number | null;
  corner: number;
  /** mm2 of material. */
  area: number;
  /** mm around the outside. */
  around: number;
  /** Facets that stand for a round; 0 when it is truly round. */
  facets: number;
}

/** A straight of the centre line. Lengths in mm. */
export interface Straight {
  kind: 'straight';
  from: Vec3;
  to: Vec3;
  along: Vec3;
}

/** A bend of the centre line: an arc about `axis` (right-handed, unit) from `from` to `to`; radius 0 is a mitre, angle in rad. */
export interface Bend {
  kind: 'bend';
  from: Vec3;
  to: Vec3;
  /** Direction of the centre line where it begins, unit. */
  before: Vec3;
  /** Of the arc; of a mitre the corner itself. */
  centre: Vec3;
  axis: Vec3;
  radius: number;
  angle: number;
  /** Facets that stood for it; 0 when it was an arc. */
  facets: number;
}

export type Piece = Straight | Bend;

/** How an end is cut: square, slanting by an angle to square (rad), or along another tube. */
export interface EndCut {
  kind: 'square' | 'mitre' | 'cope';
  /** Angle between the cut and a square one, rad; 0 for square. */
  slant: number;
  /** Direction out of the cut's plane (unit); null for a cope. */
  normal: Vec3 | null;
  /** Points of a cope's edge. */
  points?: Vec3[];
}

/** The centre line of a tube, from one end to the other, with what it looks like across. */
export interface Run {
  section: Section;
  pieces: Piece[];
  /** Where the section's width points at the start (unit, square to the first piece). */
  across: Vec3;
  ends: [EndCut, EndCut];
}

/** A row of a bend table: straight before the bend, turn of the bend's plane against the one before, bend. mm and degrees. */
export interface BendRow {
  order: number;
  length: number;
  rotation: number;
  angle: number;
  radius: number;
}

/** A bend table: its rows and the straight after the last bend. */
export interface BendTable {
  rows: BendRow[];
  lastLength: number;
}

const degree = Math.PI / 180;
/** Shorter straights than this are none, mm: bends that follow each other. */
export const noStraight = 1e-7;

/** Turns a vector about a unit axis (Rodrigues). @param angle rad */
export function turned(v: Vec3, axis: Vec3, angle: number): Vec3 {
  const [c, s] = [Math.cos(angle), Math.sin(angle)];
  const k = dot(axis, v) * (1 - c);
  const x = cross(axis, v);
  return [v[0] * c + x[0] * s + axis[0] * k, v[1] * c + x[1] * s + axis[1] * k, v[2] * c + x[2] * s + axis[2] * k];
}

/** Direction of a piece at its beginning, unit. */
export const startOf = (p: Piece): Vec3 => (p.kind === 'straight' ? p.along : p.before);
/** Direction of a piece at its end, unit. */
export const endOf = (p: Piece): Vec3 => (p.kind === 'straight' ? p.along : turned(p.before, p.axis, p.angle));

/** Length of the centre line of a piece, mm. */
export const lengthOfPiece = (p: Piece): number => (p.kind === 'straight' ? distance(p.from, p.to) : p.radius * p.angle);

/** Length of the whole centre line, mm: straights and radius times angle. Source: tube-bending handbooks. */
export const developedOf = (run: Pick<Run, 'pieces'>): number => run.pieces.reduce((sum, p) => sum + lengthOfPiece(p), 0);

/** A bend of the centre line at a corner: from the direction before to the one after. @param radius mm; 0 is a mitre */
export function bendAt(from: Vec3, before: Vec3, after: Vec3, radius: number): Bend {
  const n = cross(before, after);
  const s = lengthOf(n);
  const axis = s > 0 ? scaled(n, 1 / s) : anyAcross(before);
  return bendAbout({ from, before, axis, angle: Math.atan2(s, dot(before, after)) }, radius);
}

/** A bend that begins somewhere and turns about an axis (angle in rad). @param radius mm */
export function bendAbout({ from, before, axis, angle }: Pick<Bend, 'from' | 'before' | 'axis' | 'angle'>, radius: number, facets = 0): Bend {
  const centre = add(from, scaled(cross(axis, before), radius));
  return { kind: 'bend', from, to: radius > 0 ? add(centre, turned(sub(from, centre), axis, angle)) : from, before, centre, axis, radius, angle, facets };
}

/** A unit vector square to a unit vector. */
export function anyAcross(v: Vec3): Vec3 {
  return unit(cross(v, Math.abs(v[0]) < 0.6 ? [1, 0, 0] : [0, 1, 0]));
}

/**
 * The bend table of a centre line: lengths between tangent points, the turn between successive bend planes (right-handed about the straight between
 * them, as one looks along the feed), and the bends. The first turn is 0.
 * Source: rotation = signed angle between successive bend planes (tube-bending handbooks).
 * @example tableOf(run).rows[1].rotation // degrees, above -180 to 180
 */
export function tableOf({ pieces }: Pick<Run, 'pieces'>): BendTable {
  const rows: BendRow[] = [];
  let length = 0;
  let before: Vec3 | null = null;
  for (const p of pieces) {
    if (p.kind === 'straight') {
      length += distance(p.from, p.to);
      continue;
    }
    const d = startOf(p);
    let rotation = before ? Math.atan2(dot(cross(before, p.axis), d), dot(before, p.axis)) / degree : 0;
    // Half a turn either way is the same: one of the two is written.
    if (rotation <= -180 + 1e-9) rotation += 360;
    rows.push({ order: rows.length + 1, length, rotation: rotation === 0 ? 0 : rotation, angle: p.angle / degree, radius: p.radius });
    length = 0;
    before = p.axis;
  }
  return { rows, lastLength: length };
}

/** The same run from its other end. */
export function reversed(run: Run): Run {
  const pieces = [...run.pieces].reverse().map((p): Piece => {
    if (p.kind === 'straight') return { kind: 'straight', from: p.to, to: p.from, along: scaled(p.along, -1) };
    return { ...p, from: p.to, to: p.from, axis: scaled(p.axis, -1), before: scaled(endOf(p), -1) };
  });
  return { ...run, pieces, across: acrossAtEnd(run), ends: [run.ends[1], run.ends[0]] };
}

/** Where the section's width points at the end of the run: carried along without twist. */
export function acrossAtEnd(run: Pick<Run, 'pieces' | 'across'>): Vec3 {
  return run.pieces.reduce((v, p) => (p.kind === 'bend' ? turned(v, p.axis, p.angle) : v), run.across);
}

/**
 * The centre line that a bend table makes, from the origin along x, the first bend about z.
 * @param rows lengths and radii in mm, angles in degrees
 * @example piecesOf(tableOf(run)) // the same tube, standing as a machine holds it
 */
export function piecesOf({ rows, lastLength }: BendTable): Piece[] {
  const pieces: Piece[] = [];
  let at: Vec3 = [0, 0, 0];
  let d: Vec3 = [1, 0, 0];
  let axis: Vec3 = [0, 0, 1];
  const straight = (length: number) => {
    if (Math.abs(length) <= noStraight) return;
    const to = add(at, scaled(d, length));
    pieces.push({ kind: 'straight', from: at, to, along: d });
    at = to;
  };
  rows.forEach((row, i) => {
    straight(row.length);
    if (i > 0) axis = unit(turned(axis, d, row.rotation * degree));
    const bend = bendAbout({ from: at, before: d, axis, angle: row.angle * degree }, row.radius);
    pieces.push(bend);
    at = bend.to;
    d = unit(endOf(bend));
  });
  straight(lastLength);
  return pieces;
}

/** Bends beyond this have their corner too far away to be measured to, rad. */
const mostCorner = 175 * degree;

/**
 * The corners of a centre line with its two ends: where straights would meet. A bend of 175 degrees and more has no corner that can be measured to:
 * it is given as two bends (`split`).
 * @returns points in mm, the radius at each (0 at the ends), and how many bends were split
 */
export function cornersOf({ pieces }: Pick<Run, 'pieces'>): { points: Vec3[]; radii: number[]; split: number } {
  const points: Vec3[] = [];
  const radii: number[] = [];
  let split = 0;
  const put = (p: Vec3, r: number) => {
    points.push(p);
    radii.push(r);
  };
  put(pieces[0].from, 0);
  for (const p of pieces) {
    if (p.kind === 'straight') continue;
    if (p.radius === 0) {
      put(p.from, 0);
      continue;
    }
    const parts = p.angle >= mostCorner ? 2 : 1;
    if (parts > 1) split++;
    for (let i = 0; i < parts; i++) {
      const from = add(p.centre, turned(sub(p.from, p.centre), p.axis, (p.angle * i) / parts));
      put(add(from, scaled(turned(p.before, p.axis, (p.angle * i) / parts), p.radius * Math.tan(p.angle / parts / 2))), p.radius);
    }
  }
  put(pieces[pieces.length - 1].to, 0);
  return { points, radii, split };
}

/**
 * The centre line through corner points, rounded by a radius at each: T = R tan(A / 2) from the corner to the tangent point.
 * Source: tube-bending handbooks.
 * @param radii one for all corners, or one a point (those at the two ends are not looked at); 0 makes a mitre
 * @returns the pieces, or in `short` the number of the corner (from 1) next to which there is not enough length
 * @example piecesThrough([[0, 0, 0], [300, 0, 0], [300, 250, 0]], 60)
 */
export function piecesThrough(points: readonly Vec3[], radii: number | readonly number[]): { pieces: Piece[]; short: number | null } {
  const pieces: Piece[] = [];
  let at = points[0];
  let short: number | null = null;
  for (let i = 1; i < points.length; i++) {
    const d = unit(sub(points[i], points[i - 1]));
    const last = i === points.length - 1;
    const next = last ? d : unit(sub(points[i + 1], points[i]));
    const n = cross(d, next);
    const s = lengthOf(n);
    const angle = last ? 0 : Math.atan2(s, dot(d, next));
    const radius = last ? 0 : typeof radii === 'number' ? radii : radii[i];
    const back = angle > 1e-12 ? radius * Math.tan(angle / 2) : 0;
    const from = sub(points[i], scaled(d, back));
    const room = dot(sub(from, at), d);
    if (room < -1e-6 || !Number.isFinite(back)) short ??= i;
    if (room > noStraight) pieces.push({ kind: 'straight', from: at, to: from, along: d });
    at = from;
    if (last || angle <= 1e-12) continue;
    const bend = bendAt(from, d, next, radius);
    pieces.push(bend);
    at = bend.to;
  }
  return { pieces: joinedStraights(pieces), short };
}

/** Straights that go on in one line as one. */
export function joinedStraights(pieces: readonly Piece[]): Piece[] {
  const out: Piece[] = [];
  for (const p of pieces) {
    const last = out[out.length - 1];
    if (last?.kind === 'straight' && p.kind === 'straight') out[out.length - 1] = { ...last, to: p.to, along: unit(sub(p.to, last.from)) };
    else out.push(p);
  }
  return out;
}

/** A point on a piece and the direction there. @param s mm from its beginning */
export function pointOnPiece(p: Piece, s: number): { at: Vec3; along: Vec3 } {
  if (p.kind === 'straight') return { at: add(p.from, scaled(p.along, s)), along: p.along };
  if (p.radius === 0) return { at: p.from, along: endOf(p) };
  const angle = s / p.radius;
  return { at: add(p.centre, turned(sub(p.from, p.centre), p.axis, angle)), along: turned(p.before, p.axis, angle) };
}

/** Moves a centre line rigidly: rows of 12 numbers as in `geometry/rows.ts` (a turn and a shift, no scale). */
export function movedPieces(pieces: readonly Piece[], m: readonly number[]): Piece[] {
  const turn = (v: Vec3): Vec3 => [0, 4, 8].map((r) => m[r] * v[0] + m[r + 1] * v[1] + m[r + 2] * v[2]) as Vec3;
  const move = (v: Vec3): Vec3 => add(turn(v), [m[3], m[7], m[11]]);
  return pieces.map((p) =>
    p.kind === 'straight'
      ? { ...p, from: move(p.from), to: move(p.to), along: turn(p.along) }
      : { ...p, from: move(p.from), to: move(p.to), before: turn(p.before), centre: move(p.centre), axis: turn(p.axis) },
  );
}

/** Where a centre line begins, and how: origin, direction, axis of its first bend (or where its width points). */
export function frameOf({ pieces, across }: Pick<Run, 'pieces' | 'across'>): { at: Vec3; x: Vec3; y: Vec3; z: Vec3 } {
  const x = startOf(pieces[0]);
  const bend = pieces.find((p) => p.kind === 'bend');
  const axis = bend?.kind === 'bend' ? bend.axis : across;
  const z = unit(sub(axis, scaled(x, dot(axis, x))));
  return { at: pieces[0].from, x, y: cross(z, x), z };
}

/** The rows (turn and shift) that lay the beginning of one centre line on that of another. */
export function layOver(a: Pick<Run, 'pieces' | 'across'>, b: Pick<Run, 'pieces' | 'across'>): number[] {
  const [p, q] = [frameOf(a), frameOf(b)];
  const turn = [0, 1, 2].map((i) => [0, 1, 2].map((j) => q.x[i] * p.x[j] + q.y[i] * p.y[j] + q.z[i] * p.z[j]));
  return [0, 1, 2].flatMap((i) => [...turn[i], q.at[i] - (turn[i][0] * p.at[0] + turn[i][1] * p.at[1] + turn[i][2] * p.at[2])]);
}

/** A run whose pieces meet exactly: its own table made again where it begins. Pieces found on facets miss each other by what float32 leaves. */
export function regular(run: Run): Run {
  const pieces = piecesOf(tableOf(run));
  const own = { pieces, across: [0, 0, 1] as Vec3 };
  const fresh = movedPieces(pieces, layOver(own, run));
  let k = 0;
  // Facets are told of each bend as it was found.
  const facets = run.pieces.flatMap((p) => (p.kind === 'bend' ? [p.facets] : []));
  return { ...run, pieces: fresh.map((p) => (p.kind === 'bend' ? { ...p, facets: facets[k++] } : p)) };
}
