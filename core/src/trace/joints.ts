import { solve } from '../geometry/solve.ts';
import { turn, type P2, type Segment } from '../curves/segment.ts';
import { inner, offPiece, outlierOff, outliers, type Piece, type Row, type Stretch } from './pieces.ts';

/** Directions that differ by less than this where two pieces meet, and of which one is an arc, may be one smooth way; rad. */
const smoothTurn = (22 * Math.PI) / 180;
/** So far from the break two pieces may meet: tips narrower than a pixel are not seen to their end; pixels. */
const farJoint = 8;
/** Pieces joined smoothly that are solved for together, at most. */
const mostTogether = 120;

/** The row's outline, corners where they are, smooth where the points say so. Pixels. */
export interface Outlined {
  segments: Segment[];
  /** After each segment the short line to the next one, where they do not meet. */
  links: (Segment | null)[];
  /** Largest distance of a point of the row from it, corners left aside. */
  largest: number;
  /** The stretches that it was made of, and after each of them whether the way goes on smoothly; one segment a stretch. Empty for a circle. */
  stretches: Stretch[];
  smooth: boolean[];
}

/**
 * Pieces put together to segments that begin where the ones before end: straight pieces meet in corners, and arcs run on smoothly where that keeps
 * every point within `near`.
 */
export function outlined(row: Row, stretches: readonly Stretch[], near: number, slack: number): Outlined {
  const edge: Edge = { row, near, slack };
  if (stretches.length === 1 && stretches[0].piece.kind === 'circle' && row.closed && stretches[0].to - stretches[0].from === row.xy.length / 2)
    return circleOf(row, stretches[0]);
  const list = stretches.map((s) => ({ ...s, piece: refit(row, s) }));
  const joints = jointsOf(edge, list);
  settle(edge, list, joints);
  untangled(row, list, joints);
  return built(row, list, joints);
}

function circleOf(row: Row, stretch: Stretch): Outlined {
  const piece = refit(row, stretch) as Piece & { kind: 'circle' };
  let [largest, twice] = [0, 0];
  const { xy } = row;
  for (let i = 0; i < xy.length; i += 2) {
    largest = Math.max(largest, Math.abs(offPiece(piece, xy[i], xy[i + 1])));
    const j = (i + 2) % xy.length;
    twice += xy[i] * xy[j + 1] - xy[j] * xy[i + 1];
  }
  const start = Math.atan2(xy[1] - piece.y, xy[0] - piece.x);
  return {
    segments: [{ kind: 'arc', centre: [piece.x, piece.y], radius: piece.r, start, sweep: twice > 0 ? turn : -turn }],
    links: [null],
    largest,
    stretches: [],
    smooth: [],
  };
}

/** Indices of the points that a piece rests on: its inner ones. */
function core({ from, to, piece }: Stretch, whole: number): [number, number] {
  return to - from === whole ? [from, to - 1] : inner(piece.kind, from, Math.max(from, to - 1));
}

/** Whether a point has a say in where pieces lie. */
export const counts = ({ loose, xy }: Row, i: number): boolean => !loose || loose[i % (xy.length / 2)] === 0;

/** Least squares of true distances, from the piece that was found. Gauss and Newton's method; a line's is closed. */
function refit(row: Row, stretch: Stretch): Piece {
  const { xy } = row;
  const n = xy.length / 2;
  const [i, j] = core(stretch, n);
  let { piece } = stretch;
  if (piece.kind === 'line' || j - i < 3) return piece;
  for (let round = 0; round < 12; round++) {
    const sums = new Float64Array(9);
    for (let k = i; k <= j; k++) {
      if (!counts(row, k)) continue;
      const at = (k % n) * 2;
      const [dx, dy] = [xy[at] - piece.x, xy[at + 1] - piece.y];
      const d = Math.hypot(dx, dy) || 1e-12;
      const [u, v, miss] = [-dx / d, -dy / d, d - piece.r];
      sums[0] += u * u;
      sums[1] += u * v;
      sums[2] -= u;
      sums[3] += v * v;
      sums[4] -= v;
      sums[5] += 1;
      sums[6] -= u * miss;
      sums[7] -= v * miss;
      sums[8] += miss;
    }
    const step = solve([sums[0], sums[1], sums[2], sums[1], sums[3], sums[4], sums[2], sums[4], sums[5]], [sums[6], sums[7], sums[8]]);
    if (!step || !step.every(Number.isFinite) || Math.hypot(step[0], step[1]) > piece.r) break;
    const next: Piece = { kind: 'circle', x: piece.x + step[0], y: piece.y + step[1], r: piece.r + step[2] };
    if (!(next.r > 0) || next.r > 100 * piece.r) break;
    piece = next;
    if (Math.hypot(...step) < 1e-10 * piece.r) break;
  }
  return piece;
}

/** A row, and how near pieces keep to it. */
interface Edge {
  row: Row;
  near: number;
  /** How much farther off corners may take points, pixels. */
  slack: number;
}

/** Where stretch k ends and the next begins. */
interface Joint {
  at: P2;
  /** Where the next begins when they do not meet: a short line leads there. */
  next?: P2;
  /** Whether both go on in one direction. `side`: +1 or -1 by which a circle lies to a line, or whether two circles lie in each other (-1) or beside each other (+1). */
  smooth: boolean;
  side: number;
}

export const placeOf = ({ xy }: Row, i: number): P2 => {
  const k = (i % (xy.length / 2)) * 2;
  return [xy[k], xy[k + 1]];
};

function nearestOn(piece: Piece, [x, y]: P2): P2 {
  if (piece.kind === 'line') {
    const t = (x - piece.x) * piece.dx + (y - piece.y) * piece.dy;
    return [piece.x + t * piece.dx, piece.y + t * piece.dy];
  }
  const d = Math.hypot(x - piece.x, y - piece.y) || 1e-12;
  return [piece.x + ((x - piece.x) * piece.r) / d, piece.y + ((y - piece.y) * piece.r) / d];
}

/** Direction in which a stretch goes along its piece at a place. */
function heading(row: Row, { from, to, piece }: Stretch, at: P2): P2 {
  if (piece.kind === 'line') return [piece.dx, piece.dy];
  const [a, b] = [placeOf(row, from), placeOf(row, to - 1)];
  const m = placeOf(row, (from + to - 1) >> 1);
  const way = Math.sign((m[0] - a[0]) * (b[1] - m[1]) - (m[1] - a[1]) * (b[0] - m[0])) || 1;
  const [x, y] = [(at[0] - piece.x) / piece.r, (at[1] - piece.y) / piece.r];
  return [-y * way, x * way];
}

function jointsOf(edge: Edge, list: readonly Stretch[]): Joint[] {
  const count = edge.row.closed ? list.length : list.length - 1;
  return Array.from({ length: count }, (_, k) => jointOf(edge, list[k], list[(k + 1) % list.length]));
}

function jointOf(edge: Edge, a: Stretch, b: Stretch, maySmooth = true): Joint {
  const { row, near } = edge;
  const p = middle(placeOf(row, a.to - 1), placeOf(row, a.to));
  const meets = meetings(a.piece, b.piece).filter((q) => believable(edge, a, b, q));
  meets.sort((u, v) => Math.hypot(u[0] - p[0], u[1] - p[1]) - Math.hypot(v[0] - p[0], v[1] - p[1]));
  const [end, begin] = [nearestOn(a.piece, p), nearestOn(b.piece, p)];
  const at = meets[0] ?? middle(end, begin);
  const [u, v] = [heading(row, a, at), heading(row, b, at)];
  const angle = Math.abs(Math.atan2(u[0] * v[1] - u[1] * v[0], u[0] * v[0] + u[1] * v[1]));
  const arcs = a.piece.kind === 'circle' || b.piece.kind === 'circle';
  const smooth = maySmooth && arcs && (angle < smoothTurn || meets.length === 0) && angle < 2 * smoothTurn;
  // What misses each other by no more than the points do may as well meet half way.
  const halfWay = Math.hypot(end[0] - begin[0], end[1] - begin[1]) <= 2.5 * near;
  return meets.length > 0 || smooth || halfWay ? { at, smooth, side: sideOf(a.piece, b.piece) } : apart(row, a, b);
}

/** How far from the points a corner may lie, pixels: half a pixel's rounding at a blunt one, more the sharper it is, since the pixels do not see a tip to its end. */
const cornerOff = { any: 0.3, sharp: 0.4 };

/** Whether two stretches may meet at a place: near the points about their break, and only a sharp corner farther out. */
function believable({ row, near, slack }: Edge, a: Stretch, b: Stretch, at: P2): boolean {
  const n = row.xy.length / 2;
  let off = Infinity;
  for (let i = a.to - 4; i < a.to + 4; i++) {
    if (!row.closed && (i < 0 || i >= n - 1)) continue;
    const [p, q] = [placeOf(row, i + n), placeOf(row, i + 1 + n)];
    const [dx, dy] = [q[0] - p[0], q[1] - p[1]];
    const t = Math.min(1, Math.max(0, ((at[0] - p[0]) * dx + (at[1] - p[1]) * dy) / (dx * dx + dy * dy || 1)));
    off = Math.min(off, Math.hypot(at[0] - p[0] - t * dx, at[1] - p[1] - t * dy));
  }
  const [u, v] = [heading(row, a, at), heading(row, b, at)];
  const half = Math.sqrt(Math.max(1e-3, (1 + u[0] * v[0] + u[1] * v[1]) / 2));
  return off <= Math.min(farJoint, near + cornerOff.any * slack + (cornerOff.sharp + cornerOff.any * slack) / half);
}

const middle = (a: P2, b: P2): P2 => [(a[0] + b[0]) / 2, (a[1] + b[1]) / 2];

function sideOf(a: Piece, b: Piece): number {
  if (a.kind === 'circle' && b.kind === 'circle') {
    const d = Math.hypot(a.x - b.x, a.y - b.y);
    return Math.abs(d - Math.abs(a.r - b.r)) < Math.abs(d - a.r - b.r) ? -1 : 1;
  }
  const [line, circle] = a.kind === 'line' ? [a, b] : [b, a];
  return Math.sign(offPiece(line, circle.x, circle.y)) || 1;
}

/** Where two pieces without ends meet. */
function meetings(a: Piece, b: Piece): P2[] {
  if (a.kind === 'line' && b.kind === 'line') {
    const cross = a.dx * b.dy - a.dy * b.dx;
    if (Math.abs(cross) < 1e-4) return [];
    const t = ((b.x - a.x) * b.dy - (b.y - a.y) * b.dx) / cross;
    return [[a.x + t * a.dx, a.y + t * a.dy]];
  }
  if (a.kind === 'circle' && b.kind === 'circle') {
    const d = Math.hypot(b.x - a.x, b.y - a.y);
    if (d < 1e-9 || d > a.r + b.r || d < Math.abs(a.r - b.r)) return [];
    const along = (d * d + a.r * a.r - b.r * b.r) / (2 * d);
    const h = Math.sqrt(Math.max(0, a.r * a.r - along * along));
    const [ux, uy] = [(b.x - a.x) / d, (b.y - a.y) / d];
    const [x, y] = [a.x + along * ux, a.y + along * uy];
    return [
      [x - h * uy, y + h * ux],
      [x + h * uy, y - h * ux],
    ];
  }
  const [line, circle] = a.kind === 'line' ? [a, b as Piece & { kind: 'circle' }] : [b as Piece & { kind: 'line' }, a];
  const [x, y] = nearestOn(line, [circle.x, circle.y]);
  const off = Math.hypot(x - circle.x, y - circle.y);
  if (off > circle.r) return [];
  const h = Math.sqrt(circle.r * circle.r - off * off);
  return [
    [x + h * line.dx, y + h * line.dy],
    [x - h * line.dx, y - h * line.dy],
  ];
}

/** Makes smooth joints smooth: runs of pieces are solved for together, and joints whose points would lie farther off than `near` stay corners. */
function settle(edge: Edge, list: Stretch[], joints: Joint[]): void {
  const { row } = edge;
  const count = list.length;
  for (let attempt = 0; attempt < 6; attempt++) {
    let refused = false;
    for (const run of runsOf(joints, count, row.closed)) {
      const pieces =
        run.length <= mostTogether
          ? together(
              row,
              run.map((k) => list[k]),
              run.slice(0, -1).map((k) => joints[k]),
              run.length > 1 && run[0] === run[run.length - 1],
            )
          : null;
      const bad = pieces ? worst(edge, run, list, pieces) : run[0];
      if (pieces && bad === null) {
        run.forEach((k, i) => (list[k] = { ...list[k], piece: pieces[i] }));
        for (const k of run.slice(0, -1)) joints[k].at = touch(list[k].piece, list[(k + 1) % count].piece, joints[k].at);
        continue;
      }
      refused = true;
      // The piece that would be off gives up the joint at which it turns most.
      const beside = [bad! - 1, bad!].map((k) => (k + count) % count).filter((k) => joints[k]?.smooth && run.includes(k));
      const sharpest = beside.sort((a, b) => turnAt(row, list, joints, b) - turnAt(row, list, joints, a))[0] ?? run[0];
      for (const k of run.length > mostTogether ? run.slice(0, -1) : [sharpest]) joints[k] = jointOf(edge, list[k], list[(k + 1) % count], false);
    }
    if (!refused) return;
  }
  joints.forEach((joint, k) => {
    if (joint.smooth) joints[k] = jointOf(edge, list[k], list[(k + 1) % count], false);
  });
}

/** Lines whose corners lie the wrong way round (both pieces beside it meet before it begins) keep their own ends. */
function untangled(row: Row, list: readonly Stretch[], joints: Joint[]): void {
  const count = list.length;
  list.forEach(({ piece }, k) => {
    const [i, j] = [row.closed ? (k + count - 1) % count : k - 1, k];
    const [before, after] = [joints[i], joints[j]];
    if (piece.kind !== 'line' || !before || !after) return;
    const a = before.next ?? before.at;
    if ((after.at[0] - a[0]) * piece.dx + (after.at[1] - a[1]) * piece.dy > 0) return;
    for (const m of [i, j]) joints[m] = apart(row, list[m], list[(m + 1) % count]);
  });
}

/** A joint of two stretches that do not meet: each ends on its own piece. */
const apart = (row: Row, a: Stretch, b: Stretch): Joint => ({
  at: nearestOn(a.piece, placeOf(row, a.to - 1)),
  next: nearestOn(b.piece, placeOf(row, b.from)),
  smooth: false,
  side: 1,
});

function turnAt(row: Row, list: readonly Stretch[], joints: readonly Joint[], k: number): number {
  const [u, v] = [heading(row, list[k], joints[k].at), heading(row, list[(k + 1) % list.length], joints[k].at)];
  return Math.abs(Math.atan2(u[0] * v[1] - u[1] * v[0], u[0] * v[0] + u[1] * v[1]));
}

/** Runs of stretches with smooth joints between them, each as its stretches' numbers; a ring without a corner ends with its first. */
function runsOf(joints: readonly Joint[], count: number, closed: boolean): number[][] {
  const runs: number[][] = [];
  const first = closed ? joints.findIndex((j) => !j.smooth) : -1;
  if (closed && first < 0) return count > 1 ? [[...Array.from({ length: count }, (_, k) => k), 0]] : [];
  let run: number[] = [];
  for (let step = 0; step < count; step++) {
    const k = (first + 1 + step) % count;
    run.push(k);
    if (!joints[k]?.smooth) {
      if (run.length > 1) runs.push(run);
      run = [];
    }
  }
  if (run.length > 1) runs.push(run);
  return runs;
}

/** The stretch whose points would lie farther off than allowed; null when all hold. */
function worst({ row, near }: Edge, run: readonly number[], list: readonly Stretch[], pieces: readonly Piece[]): number | null {
  const n = row.xy.length / 2;
  let [at, most] = [null as number | null, 0];
  run.forEach((k, i) => {
    const [from, to] = core(list[k], n);
    let beyond = 0;
    for (let p = from; p <= to; p++) {
      if (!counts(row, p)) continue;
      const [x, y] = placeOf(row, p);
      const off = Math.abs(offPiece(pieces[i], x, y));
      if (off > near) beyond++;
      if (!(off <= most) && (!(off <= near * outlierOff) || beyond > outliers * (to - from + 1))) [at, most] = [k, off];
    }
  });
  return at;
}

/** How much a smooth joint weighs against all points of its run. */
const jointWeight = 1e6;

/**
 * Pieces of a run that touch each other, nearest to their points: least squares of distances, with each joint as one more, very heavy, distance.
 * Gauss and Newton's method over all pieces of the run. Lines have an angle and a shift, circles a centre and a radius.
 */
function together(row: Row, stretches: readonly Stretch[], joints: readonly Joint[], ring: boolean): Piece[] | null {
  const list = ring ? stretches.slice(0, -1) : stretches;
  const pieces = list.map((s) => ({ ...s.piece }));
  const n = row.xy.length / 2;
  const starts: number[] = [];
  let size = 0;
  for (const p of pieces) {
    starts.push(size);
    size += p.kind === 'line' ? 2 : 3;
  }
  const points = list.map((s) => core(s, n));
  const total = points.reduce((sum, [i, j]) => sum + j - i + 1, 0);
  const terms = new Terms(size);
  const numbered = (k: number): Numbered => ({ piece: pieces[k], start: starts[k] });
  for (let round = 0; round < 15; round++) {
    terms.clear();
    pieces.forEach((_, k) => {
      for (let i = points[k][0]; i <= points[k][1]; i++) if (counts(row, i)) terms.point(numbered(k), ...placeOf(row, i));
    });
    joints.forEach(({ side }, k) => terms.touching(numbered(k), numbered((k + 1) % pieces.length), side, jointWeight * total));
    for (let k = 0; k < size; k++) terms.a[k * size + k] *= 1 + 1e-12;
    const step = solve(terms.a, terms.b);
    if (!step || !step.every(Number.isFinite)) return null;
    const moves = pieces.map((p, k) => moved(p, step, starts[k]));
    if (moves.some((m) => m === null)) return null;
    const most = Math.max(...(moves as number[]));
    if (most < 1e-7) break;
  }
  return ring ? [...pieces, pieces[0]] : pieces;
}

/** Takes one step of a solution; how far it went, null when nothing is left of the piece. */
function moved(p: Piece, step: readonly number[], s: number): number | null {
  if (p.kind === 'line') {
    const angle = Math.atan2(p.dy, p.dx) + step[s];
    // The shift is across; the angle turns about the line's own place.
    [p.x, p.y] = [p.x + step[s + 1] * p.dy, p.y - step[s + 1] * p.dx];
    [p.dx, p.dy] = [Math.cos(angle), Math.sin(angle)];
    return Math.max(Math.abs(step[s]) * 100, Math.abs(step[s + 1]));
  }
  const limit = Math.min(1, (0.5 * p.r) / (Math.hypot(step[s], step[s + 1], step[s + 2]) || 1));
  p.x += step[s] * limit;
  p.y += step[s + 1] * limit;
  p.r += step[s + 2] * limit;
  return p.r > 0 ? Math.max(Math.hypot(step[s], step[s + 1]), Math.abs(step[s + 2])) : null;
}

/** A piece with the number of its first unknown. */
interface Numbered {
  piece: Piece;
  start: number;
}

/** How one distance changes with the unknowns of the pieces that it is about, added to the normal equations of all. */
class Terms {
  readonly a: Float64Array;
  readonly b: Float64Array;
  private readonly size: number;
  private readonly slope = new Float64Array(6);
  private readonly at = new Int32Array(6);
  private count = 0;

  constructor(size: number) {
    this.size = size;
    this.a = new Float64Array(size * size);
    this.b = new Float64Array(size);
  }

  clear(): void {
    this.a.fill(0);
    this.b.fill(0);
  }

  /** A point's distance from a piece. */
  point(one: Numbered, x: number, y: number): void {
    this.count = 0;
    this.slopes(one, x, y, 1);
    this.add(offPiece(one.piece, x, y), 1);
  }

  /** How far two pieces are from touching. @param side see Joint */
  touching(p: Numbered, q: Numbered, side: number, weight: number): void {
    this.count = 0;
    if (p.piece.kind === 'circle' && q.piece.kind === 'circle') return this.add(this.circles(p, q, side), weight);
    const [line, circle] = p.piece.kind === 'line' ? [p, q] : [q, p];
    const { x, y, r } = circle.piece as Piece & { kind: 'circle' };
    const { dx, dy } = line.piece as Piece & { kind: 'line' };
    this.slopes(line, x, y, side);
    // Moving the centre changes its distance along the line's normal.
    this.put(circle.start, side * dy);
    this.put(circle.start + 1, -side * dx);
    this.put(circle.start + 2, -1);
    this.add(side * offPiece(line.piece, x, y) - r, weight);
  }

  private circles(p: Numbered, q: Numbered, side: number): number {
    const [a, b] = [p.piece as Piece & { kind: 'circle' }, q.piece as Piece & { kind: 'circle' }];
    const [dx, dy] = [b.x - a.x, b.y - a.y];
    const d = Math.hypot(dx, dy) || 1e-12;
    const larger = a.r >= b.r ? 1 : -1;
    [-dx / d, -dy / d, side > 0 ? -1 : -larger].forEach((v, k) => this.put(p.start + k, v));
    [dx / d, dy / d, side > 0 ? -1 : larger].forEach((v, k) => this.put(q.start + k, v));
    return d - (side > 0 ? a.r + b.r : Math.abs(a.r - b.r));
  }

  private slopes({ piece, start }: Numbered, x: number, y: number, factor: number): void {
    if (piece.kind === 'line') {
      // Off by (p - o) x d: turning it changes that by (p - o) . d, shifting it across by -1.
      this.put(start, factor * ((x - piece.x) * piece.dx + (y - piece.y) * piece.dy));
      this.put(start + 1, -factor);
      return;
    }
    const d = Math.hypot(x - piece.x, y - piece.y) || 1e-12;
    this.put(start, (-factor * (x - piece.x)) / d);
    this.put(start + 1, (-factor * (y - piece.y)) / d);
    this.put(start + 2, -factor);
  }

  private put(at: number, slope: number): void {
    this.at[this.count] = at;
    this.slope[this.count++] = slope;
  }

  private add(miss: number, weight: number): void {
    const { at, slope, count, size, a, b } = this;
    for (let p = 0; p < count; p++) {
      b[at[p]] -= weight * slope[p] * miss;
      for (let q = 0; q < count; q++) a[at[p] * size + at[q]] += weight * slope[p] * slope[q];
    }
  }
}

/** Where two pieces that touch do so. */
function touch(p: Piece, q: Piece, near: P2): P2 {
  if (p.kind === 'line' && q.kind === 'circle') return nearestOn(p, [q.x, q.y]);
  if (p.kind === 'circle' && q.kind === 'line') return nearestOn(q, [p.x, p.y]);
  if (p.kind === 'circle' && q.kind === 'circle') {
    const [a, b] = p.r >= q.r ? [p, q] : [q, p];
    const d = Math.hypot(b.x - a.x, b.y - a.y) || 1e-12;
    return [a.x + ((b.x - a.x) * a.r) / d, a.y + ((b.y - a.y) * a.r) / d];
  }
  return near;
}

function built(row: Row, list: readonly Stretch[], joints: readonly Joint[]): Outlined {
  const count = list.length;
  const segments: Segment[] = [];
  let largest = 0;
  const n = row.xy.length / 2;
  list.forEach((stretch, k) => {
    const before = row.closed ? joints[(k + count - 1) % count] : joints[k - 1];
    const a = before?.next ?? before?.at ?? nearestOn(stretch.piece, placeOf(row, stretch.from));
    const b = joints[k]?.at ?? nearestOn(stretch.piece, placeOf(row, stretch.to - 1));
    const [i, j] = core(stretch, n);
    for (let p = i; p <= j; p++) {
      if (!counts(row, p)) continue;
      const [x, y] = placeOf(row, p);
      largest = Math.max(largest, Math.abs(offPiece(stretch.piece, x, y)));
    }
    segments.push(segmentOf(row, stretch, a, b));
  });
  return {
    segments,
    links: joints.map((j) => (j.next ? { kind: 'line', a: j.at, b: j.next } : null)),
    largest,
    stretches: [...list],
    smooth: joints.map((j) => j.smooth),
  };
}

/** A piece between two places: an arc is set so that it begins and ends exactly there. */
function segmentOf(row: Row, stretch: Stretch, a: P2, b: P2): Segment {
  const { piece } = stretch;
  if (piece.kind === 'line') return { kind: 'line', a, b };
  const [hx, hy] = heading(row, stretch, placeOf(row, (stretch.from + stretch.to - 1) >> 1));
  const m = placeOf(row, (stretch.from + stretch.to - 1) >> 1);
  const way = Math.sign((m[0] - piece.x) * hy - (m[1] - piece.y) * hx) || 1;
  let sweep = (Math.atan2(b[1] - piece.y, b[0] - piece.x) - Math.atan2(a[1] - piece.y, a[0] - piece.x)) * way;
  while (sweep <= 0) sweep += turn;
  const chord = Math.hypot(b[0] - a[0], b[1] - a[1]);
  if (sweep > turn - 1e-6 || chord < 1e-9) return { kind: 'line', a, b };
  const radius = chord / (2 * Math.sin(sweep / 2));
  const high = radius * Math.cos(sweep / 2) * way;
  const centre: P2 = [(a[0] + b[0]) / 2 - ((b[1] - a[1]) / chord) * high, (a[1] + b[1]) / 2 + ((b[0] - a[0]) / chord) * high];
  return { kind: 'arc', centre, radius, start: Math.atan2(a[1] - centre[1], a[0] - centre[0]), sweep: sweep * way };
}
