import { basisAt, findSpan } from './nurbs.ts';
import type { BsplineSurface } from './surfaces.ts';

/**
 * Point and derivatives of a spline surface without new lists. Rows of four numbers (x, y, z times weight, weight): the sum itself, by u, by v, uu, uv, vv.
 * Source: The NURBS Book, eq. 4.20.
 * @example const at = new SplinePoint(s); at.look(u, v, 1); at.copy(point, du, dv)
 */
export class SplinePoint {
  private readonly s: BsplineSurface;
  private readonly ub: Float64Array;
  private readonly vb: Float64Array;
  private readonly sums = new Float64Array(24);
  private readonly row = new Float64Array(12);

  constructor(s: BsplineSurface) {
    this.s = s;
    this.ub = new Float64Array(3 * (s.uDegree + 1));
    this.vb = new Float64Array(3 * (s.vDegree + 1));
  }

  /** Looks at parameters. @param most derivatives that are wanted */
  look(u: number, v: number, most: 1 | 2): void {
    const { s, ub, vb, sums } = this;
    const uSpan = findSpan(s.uKnots, s.uDegree, s.uCount, u);
    const vSpan = findSpan(s.vKnots, s.vDegree, s.vCount, v);
    basisAt(s.uKnots, s.uDegree, uSpan, u, ub, most);
    basisAt(s.vKnots, s.vDegree, vSpan, v, vb, most);
    const uo = s.uDegree + 1;
    const vo = s.vDegree + 1;
    sums.fill(0);
    for (let i = 0; i < uo; i++) {
      this.alongRow((uSpan - s.uDegree + i) * s.vCount + vSpan - s.vDegree, vo, most);
      const { row } = this;
      for (let k = 0; k < 4; k++) {
        sums[k] += ub[i] * row[k];
        sums[4 + k] += ub[uo + i] * row[k];
        sums[8 + k] += ub[i] * row[4 + k];
        if (most === 1) continue;
        sums[12 + k] += ub[2 * uo + i] * row[k];
        sums[16 + k] += ub[uo + i] * row[4 + k];
        sums[20 + k] += ub[i] * row[8 + k];
      }
    }
    // Divided by the weight in place: point, then first derivatives.
    const w = 1 / sums[3];
    for (let k = 0; k < 3; k++) {
      sums[k] *= w;
      sums[4 + k] = (sums[4 + k] - sums[7] * sums[k]) * w;
      sums[8 + k] = (sums[8 + k] - sums[11] * sums[k]) * w;
    }
    sums[3] = w;
  }

  /** Sums over one row of poles with the basis of v and its derivatives. */
  private alongRow(first: number, vo: number, most: 1 | 2): void {
    const { s, vb, row } = this;
    row.fill(0);
    for (let j = 0; j < vo; j++) {
      const p = (first + j) * 3;
      const w = s.weights ? s.weights[first + j] : 1;
      for (let r = 0; r <= most; r++) {
        const b = vb[r * vo + j] * w;
        row[4 * r] += b * s.poles[p];
        row[4 * r + 1] += b * s.poles[p + 1];
        row[4 * r + 2] += b * s.poles[p + 2];
        row[4 * r + 3] += b;
      }
    }
  }

  /** What was looked at last: point and first derivatives. */
  copy(at: Float64Array, du: Float64Array, dv: Float64Array): void {
    for (let k = 0; k < 3; k++) {
      at[k] = this.sums[k];
      du[k] = this.sums[4 + k];
      dv[k] = this.sums[8 + k];
    }
  }

  /** The second derivatives of what was looked at last. */
  seconds(duu: Float64Array, duv: Float64Array, dvv: Float64Array): void {
    const { sums: q } = this;
    const w = q[3];
    for (let k = 0; k < 3; k++) {
      duu[k] = (q[12 + k] - 2 * q[7] * q[4 + k] - q[15] * q[k]) * w;
      duv[k] = (q[16 + k] - q[7] * q[8 + k] - q[11] * q[4 + k] - q[19] * q[k]) * w;
      dvv[k] = (q[20 + k] - 2 * q[11] * q[8 + k] - q[23] * q[k]) * w;
    }
  }
}
