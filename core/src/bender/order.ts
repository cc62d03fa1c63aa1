import { nearestOnSegments } from '../geometry/segments.ts';
import { add, cross, distance, dot, scaled, sub, type Vec3 } from '../geometry/vector.ts';
import type { Finding } from '../base/finding.ts';
import { lengthOfPiece, piecesOf, pointOnPiece, reversed, tableOf, turned, type Run } from '../tubes/run.ts';

/** A bender as far as a tube can hit it: the tube is fed along x, the bend begins at the origin, in the plane of x and y, to the side of y. mm. */
export interface BenderSpace {
  /** How far the bed lies below the middle of the tube; null: there is none. */
  bed: number | null;
  /** The die's back-up beside the stock, on the side away from the bend: its length along the stock, and its width. */
  backUp: { length: number; width: number; height: number } | null;
}

/** Back-up as long as four tubes and as wide as two, bed nowhere. Common practice, no source. */
export const usualSpace = (width: number): BenderSpace => ({ bed: null, backUp: { length: 4 * width, width: 2 * width, height: 3 * width } });

/** The tube at one moment: `stock` mm not yet bent behind the die, and the points of the rest from the die outwards. */
export interface Moment {
  /** Bend (from 1) that is being made, and how much of it is done, 0 to 1; while `turning` the tube is being turned for it. */
  bend: number;
  done: number;
  turning: boolean;
  stock: number;
  points: Vec3[];
}

/** What hits what, when. */
export interface Clash {
  bend: number;
  done: number;
  with: 'itself' | 'bed' | 'back-up';
  /** How near it comes, mm; 0 and less is inside. */
  by: number;
}

/** Points of bends stand no further apart than this, rad. */
const step = (6 * Math.PI) / 180;
/** Moments looked at within a turn and within a bend. */
const perTurn = 6;
const perBend = 8;

/**
 * The tube as it is bent, moment by moment: bend 1 is made first, near the leading end; before each the tube is turned about its stock by the rotation of
 * the table. @param run from its leading end
 * @example momentsOf(run).filter((m) => m.bend === 2)
 */
export function momentsOf(run: Run): Moment[] {
  const { rows, lastLength } = tableOf(run);
  const out: Moment[] = [];
  const lengths = [...rows.map((r) => r.length), lastLength];
  for (let k = 0; k < rows.length; k++) {
    const rest = lengths.slice(k + 1).reduce((a, b) => a + b, 0) + rows.slice(k + 1).reduce((a, r) => a + (r.radius * r.angle * Math.PI) / 180, 0);
    // What is bent already, from the die outwards: the straight before this bend, then the bends before it, backwards.
    const before = frontOf(run, k);
    const turn = (rows[k].rotation * Math.PI) / 180;
    const arc = (rows[k].radius * rows[k].angle * Math.PI) / 180;
    if (Math.abs(turn) > 1e-9)
      for (let i = 0; i <= perTurn; i++) {
        // Turned into place: at the end of the turn the table's rotation is reached.
        const points = before.map((p) => turned(p, [1, 0, 0], -turn * (1 - i / perTurn)));
        out.push({ bend: k + 1, done: i / perTurn, turning: true, stock: rest + arc, points });
      }
    for (let i = 0; i <= perBend; i++) {
      const share = i / perBend;
      out.push({
        bend: k + 1,
        done: share,
        turning: false,
        stock: rest + arc * (1 - share),
        points: bentBy(before, rows[k].radius, (rows[k].angle * share * Math.PI) / 180),
      });
    }
  }
  return out;
}

/** Points of what stands before bend k (from 0), from the die outwards along x, with the plane of bend k in x and y. */
function frontOf(run: Run, k: number): Vec3[] {
  const table = tableOf(run);
  const front = { rows: table.rows.slice(0, k), lastLength: table.rows[k].length };
  const pieces = piecesOf(front);
  if (pieces.length === 0) return [[0, 0, 0]];
  const whole = reversed({ ...run, pieces });
  // In the frame of the table the bend after is known by its rotation: the frame at the die is x along the tube outwards, y to the side of the bend.
  const last = whole.pieces[0];
  const x = last.kind === 'straight' ? last.along : last.before;
  const lastAxis = [...pieces].reverse().find((p) => p.kind === 'bend');
  const before: Vec3 = lastAxis?.kind === 'bend' ? lastAxis.axis : [0, 0, 1];
  const forward = scaled(x, -1);
  const axis = k === 0 ? before : turned(before, forward, (table.rows[k].rotation * Math.PI) / 180);
  // Outwards the bend turns towards y about z: walked the other way, from the leading end, it turns about the table's axis.
  const z = scaled(axis, -1);
  const y = cross(z, x);
  const origin = last.from;
  const local = (p: Vec3): Vec3 => {
    const q = sub(p, origin);
    return [dot(q, x), dot(q, y), dot(q, z)];
  };
  return polyline(whole).map(local);
}

/** The front after the tube has been drawn round the die by an angle: an arc at the die, then the front turned by it. */
function bentBy(front: readonly Vec3[], radius: number, angle: number): Vec3[] {
  const out: Vec3[] = [];
  const n = Math.max(1, Math.ceil(angle / step));
  for (let i = 0; i < n; i++) {
    const a = (angle * i) / n;
    out.push([radius * Math.sin(a), radius * (1 - Math.cos(a)), 0]);
  }
  const end: Vec3 = [radius * Math.sin(angle), radius * (1 - Math.cos(angle)), 0];
  for (const p of front) out.push(add(end, turned(p, [0, 0, 1], angle)));
  return out;
}

/** The centre line as points, from its beginning. */
export function polyline(run: Pick<Run, 'pieces'>): Vec3[] {
  const out: Vec3[] = [run.pieces[0].from];
  for (const p of run.pieces) {
    if (p.kind === 'bend' && p.radius > 0) {
      const n = Math.max(1, Math.ceil(p.angle / step));
      for (let i = 1; i < n; i++) out.push(pointOnPiece(p, (lengthOfPiece(p) * i) / n).at);
    }
    out.push(p.to);
  }
  return out;
}

/** Tubes with more bends are not looked at for clashes: every moment is held against itself. `clashFindings` tells it. */
const mostBends = 60;

/** Where the tube hits itself, the bed or the back-up while it is bent: for each bend and thing the worst moment. */
export function clashesOf(run: Run, space: BenderSpace): Clash[] {
  if (tableOf(run).rows.length > mostBends) return [];
  const worst = new Map<string, Clash>();
  const tell = (m: Moment, what: Clash['with'], by: number) => {
    if (by >= 0) return;
    const key = `${m.bend} ${what}`;
    const known = worst.get(key);
    if (!known || by < known.by) worst.set(key, { bend: m.bend, done: m.done, with: what, by });
  };
  const size = Math.max(run.section.width, run.section.height);
  for (const m of momentsOf(run)) {
    tell(m, 'itself', nearestSelf(m, size) - size);
    if (space.bed !== null) tell(m, 'bed', Math.min(...m.points.map((p) => p[2])) + space.bed - size / 2);
    if (space.backUp) tell(m, 'back-up', offBackUp(m.points, space.backUp, size) - size / 2);
  }
  return [...worst.values()].sort((a, b) => a.bend - b.bend);
}

/** The least distance between parts of the centre line that are further apart along it than a tight turn is. */
function nearestSelf({ points, stock }: Moment, size: number): number {
  const all: Vec3[] = [[-stock, 0, 0], ...points];
  const along = [0];
  for (let i = 1; i < all.length; i++) along.push(along[i - 1] + distance(all[i - 1], all[i]));
  const balls = ballsOf(all);
  let least = Infinity;
  for (let i = 0; i + 1 < all.length; i++)
    for (let j = i + 2; j + 1 < all.length; j++) {
      if (along[j] - along[i + 1] < size * 2.5 || !nearer(balls, i, j, least)) continue;
      least = Math.min(least, betweenSegments([all[i], all[i + 1]], [all[j], all[j + 1]]));
    }
  return least;
}

/** Balls around the stretches of a line, four numbers each: the middle and the radius. */
function ballsOf(points: readonly Vec3[]): Float64Array {
  const out = new Float64Array((points.length - 1) * 4);
  for (let i = 0; i + 1 < points.length; i++) {
    const [p, q] = [points[i], points[i + 1]];
    for (let c = 0; c < 3; c++) out[i * 4 + c] = (p[c] + q[c]) / 2;
    out[i * 4 + 3] = distance(p, q) / 2;
  }
  return out;
}

/** Whether what lies in two balls may be nearer to each other than so far. */
function nearer(balls: Float64Array, i: number, j: number, far: number): boolean {
  const [a, b] = [i * 4, j * 4];
  const reach = far + balls[a + 3] + balls[b + 3];
  const dx = balls[a] - balls[b];
  const dy = balls[a + 1] - balls[b + 1];
  const dz = balls[a + 2] - balls[b + 2];
  return dx * dx + dy * dy + dz * dz < reach * reach;
}

/** How far the tube stays off the back-up: a box beside the stock, behind the die, away from the bend. */
function offBackUp(points: readonly Vec3[], box: NonNullable<BenderSpace['backUp']>, size: number): number {
  let least = Infinity;
  for (let i = 0; i + 1 < points.length; i++) {
    const n = Math.max(1, Math.ceil(distance(points[i], points[i + 1]) / size));
    for (let k = 0; k <= n; k++) {
      const p = add(points[i], scaled(sub(points[i + 1], points[i]), k / n));
      const dx = Math.max(-box.length - p[0], p[0], 0);
      const dy = Math.max(-size / 2 - box.width - p[1], p[1] + size / 2, 0);
      const dz = Math.max(Math.abs(p[2]) - box.height / 2, 0);
      // The tube itself leaves the die at the back-up's corner.
      if (p[0] > -size) continue;
      least = Math.min(least, Math.hypot(dx, dy, dz));
    }
  }
  return least;
}

/** Distance of two segments, mm. */
export function betweenSegments([p1, q1]: [Vec3, Vec3], [p2, q2]: [Vec3, Vec3]): number {
  const [a, b] = nearestOnSegments(p1, q1, p2, q2);
  return distance(a, b);
}

/** Clashes of a run in sentences. @param name begins each */
export function clashFindings(name: string, run: Run, space: BenderSpace): Finding[] {
  const bends = tableOf(run).rows.length;
  if (bends > mostBends)
    return [{ code: 'clashes-not-looked', severity: 'look', count: 1, message: `${name} has ${bends} bends: what it hits while it is bent is looked at for up to ${mostBends}.`, remedy: 'Fit it with a larger deviation, or divide it.' }]; // prettier-ignore
  return clashesOf(run, space).map((c) => ({
    code: 'bending-clash',
    severity: 'look',
    count: 1,
    message: `${name}, bend ${c.bend}: the tube hits ${c.with === 'itself' ? 'itself' : c.with === 'bed' ? 'the bed' : "the die's back-up"} (${Number((-c.by).toFixed(1))} mm too near).`,
    remedy: 'Bend from the other end, or in two settings; check the sizes of the machine.',
  }));
}
