import type { Crease } from './creases.ts';
import { SurfaceFoot, type Foot } from './foot.ts';
import { findSpan } from './nurbs.ts';
import type { BsplineSurface } from './surfaces.ts';

/** Pieces that a creased surface is divided into at most; and how far before a crease the piece ends whose slopes are wanted there, in shares of its range. */
const mostPieces = 256;
const before = 1e-12;

/** The foot on a spline surface that is creased: on each of the smooth pieces between its creases, for steps do not find their way over one. */
export class CreasedFoot implements Foot {
  x = 0;
  y = 0;
  z = 0;
  enough = 0;
  sure = Infinity;
  /** Parameters of the point found last. */
  u = 0;
  v = 0;
  private readonly pieces: readonly SurfaceFoot[];
  /** Of each piece, a box that it lies in (that of the poles which reach into it: six numbers); how far the point is from it, squared. */
  private readonly boxes: Float64Array;
  private readonly squares: Float64Array;

  /** @param range of u, then of v */
  constructor(surface: BsplineSurface, range: readonly [number, number, number, number], creases: readonly Crease[]) {
    const stops = (way: 'u' | 'v', low: number, high: number) => [low, ...creases.filter((c) => c.way === way).map((c) => c.at), high];
    const [us, vs] = [stops('u', range[0], range[1]), stops('v', range[2], range[3])];
    const spans = (list: number[]) => list.slice(1).map((to, i) => [list[i], i + 2 < list.length ? to - before * (to - list[i]) : to]);
    const [columns, rows] = [spans(us), spans(vs)];
    this.boxes = Float64Array.from(columns.flatMap((u) => rows.flatMap((v) => boxOfPoles(surface, u, v))));
    this.squares = new Float64Array(columns.length * rows.length);
    this.pieces = columns.flatMap(([a, b]) => rows.map(([c, d]) => new SurfaceFoot(surface, [a, b, c, d])));
  }

  static takes(creases: readonly Crease[]): boolean {
    const many = (way: 'u' | 'v') => creases.filter((c) => c.way === way).length + 1;
    return creases.length > 0 && many('u') * many('v') <= mostPieces;
  }

  find(px: number, py: number, pz: number): number {
    const { boxes, squares, pieces } = this;
    let nearest = 0;
    for (let k = 0; k < squares.length; k++) {
      const dx = Math.max(0, boxes[6 * k] - px, px - boxes[6 * k + 3]);
      const dy = Math.max(0, boxes[6 * k + 1] - py, py - boxes[6 * k + 4]);
      const dz = Math.max(0, boxes[6 * k + 2] - pz, pz - boxes[6 * k + 5]);
      squares[k] = dx * dx + dy * dy + dz * dz;
      if (squares[k] < squares[nearest]) nearest = k;
    }
    // The piece whose box is nearest first; of the others those whose boxes are nearer than what was found.
    let best = this.on(pieces[nearest], Infinity, [px, py, pz]);
    for (let k = 0; k < pieces.length && best > this.enough; k++) {
      if (k !== nearest && squares[k] < best * best) best = this.on(pieces[k], best, [px, py, pz]);
    }
    return best;
  }

  private on(piece: SurfaceFoot, best: number, p: readonly [number, number, number]): number {
    piece.enough = this.enough;
    piece.sure = this.sure;
    const d = piece.find(...p);
    if (!(d < best)) return best;
    ({ x: this.x, y: this.y, z: this.z, u: this.u, v: this.v } = piece);
    return d;
  }
}

/** The box of the poles that reach into a range of parameters: least x, y, z, largest x, y, z. */
function boxOfPoles(s: BsplineSurface, u: readonly number[], v: readonly number[]): number[] {
  const [i0, i1] = [findSpan(s.uKnots, s.uDegree, s.uCount, u[0]) - s.uDegree, findSpan(s.uKnots, s.uDegree, s.uCount, u[1])];
  const [j0, j1] = [findSpan(s.vKnots, s.vDegree, s.vCount, v[0]) - s.vDegree, findSpan(s.vKnots, s.vDegree, s.vCount, v[1])];
  // By weights below 0 it may lie anywhere.
  if (s.weights?.some((w) => !(w > 0))) return [-Infinity, -Infinity, -Infinity, Infinity, Infinity, Infinity];
  const box = [Infinity, Infinity, Infinity, -Infinity, -Infinity, -Infinity];
  for (let i = i0; i <= i1; i++) {
    for (let j = j0; j <= j1; j++) {
      for (let k = 0; k < 3; k++) {
        const x = s.poles[3 * (i * s.vCount + j) + k];
        box[k] = Math.min(box[k], x);
        box[k + 3] = Math.max(box[k + 3], x);
      }
    }
  }
  return box;
}
