import { flatBottom } from '../geometry/bottom.ts';
import { edgesOf, nextCorner, openEdge } from '../geometry/edges.ts';
import { Indices, Numbers } from '../geometry/growing.ts';
import type { Mesh } from '../geometry/mesh.ts';
import type { Composed } from './compose.ts';
import type { HeightField } from './field.ts';

/** Where a crossing with the outline is kept off the heights at its ends, as a share of the step: no triangle comes out without a side. */
const offEnds = 1e-3;
/** Halvings of a step in search of a relief's own outline. */
const halvings = 14;

/**
 * Reliefs on their stock as one closed solid on the bed, X and Y from the stock's middle: the heights as its top, the outline's sides, a flat bottom.
 * Each square between four heights is parted along the diagonal that gives the least area. O(heights).
 */
export function blockOf(composed: Composed): Mesh {
  const top = new Top(composed);
  top.squares();
  const { points, triangles } = top;
  const rim = rimOf(triangles.taken(), points.length / 3);
  const feet = feetOf(rim, points, composed);
  const tops = triangles.length;
  for (const [a, b] of rim) {
    const [c, d] = [feet.get(a)!, feet.get(b)!];
    triangles.push3(a, c, d);
    triangles.push3(a, d, b);
  }
  if (composed.choice.outline === 'own') bottomLikeTop(points, triangles, tops, feet);
  else flatBottom({ points, triangles }, loopOf(rim, feet), [0, 0]);
  return { positions: points.taken(), triangles: triangles.taken() };
}

/** Sides of triangles that have no other on them: the rim, with the solid to the left seen from above. */
function rimOf(t: Uint32Array, vertices: number): [number, number][] {
  const { across } = edgesOf(t, vertices);
  const out: [number, number][] = [];
  for (let c = 0; c < t.length; c++) if (across[c] === openEdge) out.push([t[c], t[nextCorner(c)]]);
  return out;
}

/** Points of the foot under each point of the rim. */
function feetOf(rim: readonly [number, number][], points: Numbers, { choice, lean, field }: Composed): Map<number, number> {
  const out = new Map<number, number>();
  const half = [(field.step[0] * (field.columns - 1)) / 2, (field.step[1] * (field.rows - 1)) / 2];
  const wide = choice.outline === 'own' ? [1, 1] : half.map((v) => (v + lean) / v);
  for (const [v] of rim) {
    if (out.has(v)) continue;
    out.set(v, points.length / 3);
    points.push3(points.values[v * 3] * wide[0], points.values[v * 3 + 1] * wide[1], 0);
  }
  return out;
}

/** Feet in the order of the rim, which is one ring. */
function loopOf(rim: readonly [number, number][], feet: Map<number, number>): number[] {
  const next = new Map(rim);
  const out: number[] = [];
  for (let v = rim[0][0]; out.length < rim.length; v = next.get(v)!) out.push(feet.get(v)!);
  return out;
}

/** A bottom of the top's own triangles, turned over; points within the rim come once more at Z 0. */
function bottomLikeTop(points: Numbers, triangles: Indices, tops: number, feet: Map<number, number>): void {
  const below = (v: number): number => {
    let foot = feet.get(v);
    if (foot === undefined) {
      foot = points.length / 3;
      feet.set(v, foot);
      points.push3(points.values[v * 3], points.values[v * 3 + 1], 0);
    }
    return foot;
  };
  for (let i = 0; i < tops; i += 3) {
    const [a, b, c] = [triangles.values[i], triangles.values[i + 1], triangles.values[i + 2]];
    triangles.push3(below(a), below(c), below(b));
  }
}

/** Whether the square whose low left height is the k-th has the least area when it is parted from there to the opposite one. */
function alongMain({ step: [x, y], heights, columns }: HeightField, k: number): boolean {
  const [a, b, c, d] = [heights[k], heights[k + 1], heights[k + columns + 1], heights[k + columns]];
  const area = (u: number, v: number) => Math.sqrt(y * y * u * u + x * x * v * v + x * x * y * y);
  return area(b - a, c - b) + area(c - d, d - a) <= area(b - a, d - a) + area(c - d, c - b);
}

/** The top being made: its points and its triangles, which face up. */
class Top {
  readonly points = new Numbers();
  readonly triangles = new Indices();
  private readonly node: Int32Array;
  /** Crossings with the outline, by height and side (to the right, or up). */
  private readonly crossing = new Map<number, number>();
  private readonly it: Composed;
  private readonly round: number | null;
  private count = 0;

  constructor(it: Composed) {
    this.it = it;
    const { field, choice } = it;
    this.node = new Int32Array(field.heights.length).fill(-1);
    this.round = choice.outline === 'round' ? (field.step[0] * (field.columns - 1)) / 2 : null;
  }

  private x = (c: number) => this.it.field.at[0] + c * this.it.field.step[0];
  private y = (r: number) => this.it.field.at[1] + r * this.it.field.step[1];

  private inside(c: number, r: number): boolean {
    const { field } = this.it;
    if (this.round !== null) return Math.hypot(this.x(c), this.y(r)) <= this.round * (1 + 1e-12);
    return !Number.isNaN(field.heights[r * field.columns + c]);
  }

  private point(x: number, y: number, z: number): number {
    this.points.push3(x, y, z);
    return this.count++;
  }

  private at(c: number, r: number): number {
    const k = r * this.it.field.columns + c;
    if (this.node[k] < 0) this.node[k] = this.point(this.x(c), this.y(r), this.it.field.heights[k]);
    return this.node[k];
  }

  /** Where the outline crosses the step between two heights of which one is inside. */
  private cross(c0: number, r0: number, c1: number, r1: number): number {
    const { columns } = this.it.field;
    const key = Math.min(r0 * columns + c0, r1 * columns + c1) * 2 + (r0 === r1 ? 0 : 1);
    const known = this.crossing.get(key);
    if (known !== undefined) return known;
    const within = this.inside(c0, r0);
    const made = within ? this.cut(c0, r0, c1, r1) : this.cut(c1, r1, c0, r0);
    this.crossing.set(key, made);
    return made;
  }

  private cut(c0: number, r0: number, c1: number, r1: number): number {
    const { field, heightAt, choice } = this.it;
    const [x0, y0] = [this.x(c0), this.y(r0)];
    const [dx, dy] = [this.x(c1) - x0, this.y(r1) - y0];
    const h0 = field.heights[r0 * field.columns + c0];
    if (this.round !== null) {
      // |p + t d| = R with d along one axis.
      const length = Math.abs(dx + dy);
      const [along, off] = dx !== 0 ? [x0 * Math.sign(dx), y0] : [y0 * Math.sign(dy), x0];
      const t = Math.min(1 - offEnds, Math.max(offEnds, (Math.sqrt(Math.max(0, this.round ** 2 - off * off)) - along) / length));
      const h1 = field.heights[r1 * field.columns + c1];
      return this.point(x0 + t * dx, y0 + t * dy, h0 + t * (h1 - h0));
    }
    let [low, high, h] = [0, 1, NaN];
    for (let i = 0; i < halvings; i++) {
      const mid = (low + high) / 2;
      const found = heightAt(x0 + mid * dx, y0 + mid * dy);
      if (Number.isNaN(found)) high = mid;
      else [low, h] = [mid, found];
    }
    const t = Math.min(1 - offEnds, Math.max(offEnds, low));
    return this.point(x0 + t * dx, y0 + t * dy, choice.smooth || Number.isNaN(h) ? h0 : h);
  }

  /** All squares of the grid: whole, or what the outline leaves of them. */
  squares(): void {
    const { columns, rows } = this.it.field;
    for (let r = 0; r + 1 < rows; r++) for (let c = 0; c + 1 < columns; c++) this.square(c, r);
  }

  private square(c: number, r: number): void {
    const corners: [number, number][] = [[c, r], [c + 1, r], [c + 1, r + 1], [c, r + 1]]; // prettier-ignore
    const on = this.it.choice.outline === 'stock' ? [true, true, true, true] : corners.map(([i, j]) => this.inside(i, j));
    const many = on.filter(Boolean).length;
    if (many === 0) return;
    if (many === 4) return this.whole(corners, c, r);
    if (many === 2 && on[0] === on[2]) {
      // Two corners across: two pieces that do not touch.
      for (let i = 0; i < 4; i++) if (on[i]) this.piece([i], corners);
      return;
    }
    const begin = [0, 1, 2, 3].find((i) => on[i] && !on[(i + 3) % 4])!;
    this.piece([...Array(many).keys()].map((k) => (begin + k) % 4), corners); // prettier-ignore
  }

  /** Corners that follow each other inside, and the outline's crossings before and after them. */
  private piece(inside: number[], corners: [number, number][]): void {
    const [first, last] = [inside[0], inside[inside.length - 1]];
    const before = this.cross(...corners[(first + 3) % 4], ...corners[first]);
    const after = this.cross(...corners[last], ...corners[(last + 1) % 4]);
    const ring = [before, ...inside.map((i) => this.at(...corners[i])), after];
    for (let i = 1; i + 1 < ring.length; i++) this.triangle(ring[0], ring[i], ring[i + 1]);
  }

  private whole(corners: [number, number][], c: number, r: number): void {
    const k = r * this.it.field.columns + c;
    const [a, b, d, e] = corners.map(([i, j]) => this.at(i, j));
    if (alongMain(this.it.field, k)) {
      this.triangle(a, b, d);
      this.triangle(a, d, e);
    } else {
      this.triangle(b, d, e);
      this.triangle(b, e, a);
    }
  }

  private triangle(a: number, b: number, c: number): void {
    this.triangles.push3(a, b, c);
  }
}

/** Volume under a field down to the bed by its heights alone, mm3: the mean of each square's two triangles' corners, parted as `blockOf` parts them. */
export function volumeUnder({ field }: Pick<Composed, 'field'>): number {
  const { columns, rows, step, heights } = field;
  let sum = 0;
  for (let r = 0; r + 1 < rows; r++)
    for (let c = 0; c + 1 < columns; c++) {
      const k = r * columns + c;
      const [a, b, d, e] = [heights[k], heights[k + 1], heights[k + columns + 1], heights[k + columns]];
      if (Number.isNaN(a + b + d + e)) continue;
      sum += alongMain(field, k) ? (2 * a + 2 * d + b + e) / 6 : (2 * b + 2 * e + a + d) / 6;
    }
  return sum * step[0] * step[1];
}
