import { findSpan, type PoleGrid } from './nurbs.ts';
import { bernsteinRows, patchesOf, type SplinePatches } from './spline-patches.ts';

/**
 * Point and derivatives of a spline surface without new lists, from the patch of its span: by Horner's rule, or by Bernstein's polynomials where the degrees are so
 * high that powers would lose digits. Source: The NURBS Book, 1.1, 1.3 and eq. 4.20.
 * @example const at = new SplinePoint(s); at.look(u, v, 1); at.copy(point, du, dv)
 */
export class SplinePoint {
  private readonly s: PoleGrid;
  private readonly patches: SplinePatches;
  private patch: Float64Array = new Float64Array(0);
  /** Where the span looked at last begins and ends. */
  private u0 = NaN;
  private u1 = NaN;
  private v0 = NaN;
  private v1 = NaN;
  private readonly ub: Float64Array;
  private readonly vb: Float64Array;
  /** x w, y w, z w, w of the sum itself, by u, v, uu, uv, vv; then x, y, z of the point and of its first derivatives, and 1 / w. */
  readonly sums = new Float64Array(24);

  constructor(s: PoleGrid) {
    this.s = s;
    this.patches = patchesOf(s);
    this.ub = new Float64Array(3 * (s.uDegree + 1));
    this.vb = new Float64Array(3 * (s.vDegree + 1));
  }

  /** Looks at parameters. @param most derivatives that are wanted */
  look(u: number, v: number, most: 1 | 2): void {
    if (!(u >= this.u0 && u < this.u1 && v >= this.v0 && v < this.v1)) this.move(u, v);
    const p = 2 / (this.u1 - this.u0);
    const q = 2 / (this.v1 - this.v0);
    const a = (u - this.u0) * p - 1;
    const b = (v - this.v0) * q - 1;
    if (!this.patches.powers) this.byBezier(a, b, most);
    else if (most === 1) this.first(a, b);
    else this.second(a, b);
    const { sums } = this;
    // Divided by the weight in place: point, then first derivatives.
    const w = 1 / sums[3];
    const wu = sums[7];
    const wv = sums[11];
    for (let k = 0; k < 3; k++) {
      const x = sums[k] * w;
      sums[k] = x;
      sums[4 + k] = (sums[4 + k] - wu * x) * w * p;
      sums[8 + k] = (sums[8 + k] - wv * x) * w * q;
    }
    sums[3] = w;
    if (most === 1) return;
    sums[7] *= p;
    sums[11] *= q;
    for (let k = 12; k < 16; k++) {
      sums[k] *= p * p;
      sums[k + 4] *= p * q;
      sums[k + 8] *= q * q;
    }
  }

  /** Goes to the span of parameters. */
  private move(u: number, v: number): void {
    const { s } = this;
    const uSpan = findSpan(s.uKnots, s.uDegree, s.uCount, u);
    const vSpan = findSpan(s.vKnots, s.vDegree, s.vCount, v);
    this.u0 = s.uKnots[uSpan];
    this.u1 = s.uKnots[uSpan + 1];
    this.v0 = s.vKnots[vSpan];
    this.v1 = s.vKnots[vSpan + 1];
    this.patch = this.patches.at(uSpan, vSpan);
  }

  /** Horner's rule: value and first derivatives by the places in the patch. */
  private first(a: number, b: number): void {
    const { patch, sums } = this;
    const rows = this.s.uDegree + 1;
    const columns = this.s.vDegree + 1;
    let x = 0;
    let y = 0;
    let z = 0;
    let w = 0;
    let xu = 0;
    let yu = 0;
    let zu = 0;
    let wu = 0;
    let xv = 0;
    let yv = 0;
    let zv = 0;
    let wv = 0;
    for (let i = rows, k = 4 * rows * columns; i > 0; i--) {
      let rx = 0;
      let ry = 0;
      let rz = 0;
      let rw = 0;
      let sx = 0;
      let sy = 0;
      let sz = 0;
      let sw = 0;
      for (let j = columns; j > 0; j--) {
        k -= 4;
        sx = sx * b + rx;
        sy = sy * b + ry;
        sz = sz * b + rz;
        sw = sw * b + rw;
        rx = rx * b + patch[k];
        ry = ry * b + patch[k + 1];
        rz = rz * b + patch[k + 2];
        rw = rw * b + patch[k + 3];
      }
      xu = xu * a + x;
      yu = yu * a + y;
      zu = zu * a + z;
      wu = wu * a + w;
      x = x * a + rx;
      y = y * a + ry;
      z = z * a + rz;
      w = w * a + rw;
      xv = xv * a + sx;
      yv = yv * a + sy;
      zv = zv * a + sz;
      wv = wv * a + sw;
    }
    sums[0] = x;
    sums[1] = y;
    sums[2] = z;
    sums[3] = w;
    sums[4] = xu;
    sums[5] = yu;
    sums[6] = zu;
    sums[7] = wu;
    sums[8] = xv;
    sums[9] = yv;
    sums[10] = zv;
    sums[11] = wv;
  }

  /** Horner's rule one number at a time: value, first and second derivatives by the places in the patch. */
  private second(a: number, b: number): void {
    const { patch, sums } = this;
    const columns = 4 * (this.s.vDegree + 1);
    const all = columns * (this.s.uDegree + 1);
    for (let c = 0; c < 4; c++) {
      let f = 0;
      let fu = 0;
      let fuu = 0;
      let fv = 0;
      let fuv = 0;
      let fvv = 0;
      for (let row = all - columns; row >= 0; row -= columns) {
        let r = 0;
        let s = 0;
        let t = 0;
        for (let k = row + columns - 4 + c; k >= row; k -= 4) {
          t = t * b + s;
          s = s * b + r;
          r = r * b + patch[k];
        }
        fuu = fuu * a + fu;
        fu = fu * a + f;
        f = f * a + r;
        fuv = fuv * a + fv;
        fv = fv * a + s;
        fvv = fvv * a + t;
      }
      sums[c] = f;
      sums[4 + c] = fu;
      sums[8 + c] = fv;
      sums[12 + c] = 2 * fuu;
      sums[16 + c] = fuv;
      sums[20 + c] = 2 * fvv;
    }
  }

  /** The same by Bernstein's polynomials. */
  private byBezier(a: number, b: number, most: 1 | 2): void {
    const { patch, sums, ub, vb } = this;
    const [uo, vo] = [this.s.uDegree + 1, this.s.vDegree + 1];
    bernsteinRows(this.s.uDegree, (a + 1) / 2, most, ub);
    bernsteinRows(this.s.vDegree, (b + 1) / 2, most, vb);
    sums.fill(0);
    for (let i = 0; i < uo; i++) {
      for (let j = 0; j < vo; j++) {
        for (let c = 0, at = 4 * (i * vo + j); c < 4; c++) {
          const x = patch[at + c];
          sums[c] += ub[i] * vb[j] * x;
          sums[4 + c] += ub[uo + i] * vb[j] * x;
          sums[8 + c] += ub[i] * vb[vo + j] * x;
          if (most === 1) continue;
          sums[12 + c] += ub[2 * uo + i] * vb[j] * x;
          sums[16 + c] += ub[uo + i] * vb[vo + j] * x;
          sums[20 + c] += ub[i] * vb[2 * vo + j] * x;
        }
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
