import { curveAt } from '../surfaces/curves.ts';
import { basisAt, findSpan } from '../surfaces/nurbs.ts';
import { surfaceAt, type BsplineSurface, type Surface } from '../surfaces/surfaces.ts';
import { cross, dot, scaled, sub, type Vec3 } from '../geometry/vector.ts';

/** Tangents whose squared area is below this share of their squared lengths are one. */
const lost = 1e-12;

/**
 * How a surface lies and bends at a place: point, tangents, first (e, f, g) and second (l, m, n) fundamental form, principal curvatures (1/mm, towards
 * du x dv positive). Source: do Carmo, Differential Geometry of Curves and Surfaces, 3.3.
 * @example const at = new Bend(surface); at.look(u, v); at.most
 */
export class Bend {
  readonly at = new Float64Array(3);
  readonly du = new Float64Array(3);
  readonly dv = new Float64Array(3);
  private readonly duu = new Float64Array(3);
  private readonly duv = new Float64Array(3);
  private readonly dvv = new Float64Array(3);
  e = 0;
  f = 0;
  g = 0;
  l = 0;
  m = 0;
  n = 0;
  /** Principal curvatures, that of the larger amount first. */
  most = 0;
  least = 0;
  private readonly surface: Surface;
  private readonly spline: SplineSecond | null;

  constructor(surface: Surface) {
    this.surface = surface;
    this.spline = surface.kind === 'bspline' ? new SplineSecond(surface) : null;
  }

  /** Point and tangents only. */
  point(u: number, v: number): void {
    if (this.round(u, v)) return;
    if (this.spline) {
      this.spline.look(u, v, 1);
      this.spline.copy(this.at, this.du, this.dv);
      return;
    }
    const p = surfaceAt(this.surface, u, v);
    this.at.set(p.at);
    this.du.set(p.du);
    this.dv.set(p.dv);
  }

  /** All of it. */
  look(u: number, v: number): void {
    if (this.round(u, v)) return;
    if (this.spline) {
      this.spline.look(u, v, 2);
      this.spline.copy(this.at, this.du, this.dv);
      this.spline.seconds(this.duu, this.duv, this.dvv);
    } else this.second(u, v);
    const { du, dv } = this;
    this.e = dot3(du, du);
    this.f = dot3(du, dv);
    this.g = dot3(dv, dv);
    const nx = du[1] * dv[2] - du[2] * dv[1];
    const ny = du[2] * dv[0] - du[0] * dv[2];
    const nz = du[0] * dv[1] - du[1] * dv[0];
    const size = Math.sqrt(nx * nx + ny * ny + nz * nz);
    const k = size > 0 ? 1 / size : 0;
    const along = (d: Float64Array) => (d[0] * nx + d[1] * ny + d[2] * nz) * k;
    this.l = along(this.duu);
    this.m = along(this.duv);
    this.n = along(this.dvv);
    const det = this.e * this.g - this.f * this.f;
    // Where the tangents are as good as one, or gone, nothing is known of the bend.
    const known = det > lost * this.e * this.g;
    const half = known ? (this.e * this.n - 2 * this.f * this.m + this.g * this.l) / (2 * det) : 0;
    const gauss = known ? (this.l * this.n - this.m * this.m) / det : 0;
    const root = Math.sqrt(Math.max(0, half * half - gauss));
    this.most = half >= 0 ? half + root : half - root;
    this.least = half >= 0 ? half - root : half + root;
  }

  /** Second derivatives of surfaces without splines of their own. */
  private second(u: number, v: number): void {
    this.point(u, v);
    const s = this.surface;
    const { duu, duv, dvv } = this;
    duu.fill(0);
    duv.fill(0);
    dvv.fill(0);
    if (s.kind === 'extrusion') duu.set(curveAt(s.profile, u).d2);
    else if (s.kind === 'revolution') this.revolved(s, u, v);
  }

  /** All of a surface round an axis in closed form, without new lists. The second form is that towards the outside. @returns false for others */
  private round(u: number, v: number): boolean {
    const s = this.surface;
    if (!('frame' in s)) return false;
    const { at, x, y, z } = s.frame;
    let radius = u;
    let height = v;
    // How radius and height change with v, and the normal's part across the axis times the curvature along v.
    let dr = 0;
    let dh = 1;
    this.f = this.m = this.n = this.l = this.least = this.most = 0;
    if (s.kind === 'plane') {
      for (let k = 0; k < 3; k++) {
        this.at[k] = at[k] + u * x[k] + v * y[k];
        this.du[k] = x[k];
        this.dv[k] = y[k];
      }
      this.e = this.g = 1;
      return true;
    }
    if (s.kind === 'cylinder') radius = s.r;
    else if (s.kind === 'cone') {
      dr = Math.sin(s.half);
      dh = Math.cos(s.half);
      radius = s.r + v * dr;
      height = v * dh;
    } else {
      const r = s.kind === 'sphere' ? s.r : s.minor;
      dr = -r * Math.sin(v);
      dh = r * Math.cos(v);
      radius = (s.kind === 'sphere' ? 0 : s.major) + dh;
      height = -dr;
      this.n = -r;
    }
    const c = Math.cos(u);
    const w = Math.sin(u);
    for (let k = 0; k < 3; k++) {
      const out = c * x[k] + w * y[k];
      this.at[k] = at[k] + radius * out + height * z[k];
      this.du[k] = radius * (c * y[k] - w * x[k]);
      this.dv[k] = dr * out + dh * z[k];
    }
    this.e = radius * radius;
    this.g = dr * dr + dh * dh;
    const long = Math.sqrt(this.g);
    this.l = (-radius * dh) / long;
    const around = radius === 0 ? this.n / this.g : this.l / this.e;
    const up = this.n / this.g;
    this.most = Math.abs(around) >= Math.abs(up) ? around : up;
    this.least = Math.abs(around) >= Math.abs(up) ? up : around;
    return true;
  }

  private revolved(s: Extract<Surface, { kind: 'revolution' }>, u: number, v: number): void {
    const q: Vec3 = [this.at[0] - s.at[0], this.at[1] - s.at[1], this.at[2] - s.at[2]];
    this.duu.set(cross(s.axis, cross(s.axis, q)));
    this.duv.set(cross(s.axis, [this.dv[0], this.dv[1], this.dv[2]]));
    // The profile's second derivative, turned with it: as the surface over a profile that is that alone.
    const c = curveAt(s.profile, v).d2;
    const up = scaled(s.axis, dot(c, s.axis));
    const out = sub(c, up);
    const side = cross(s.axis, out);
    for (let k = 0; k < 3; k++) this.dvv[k] = up[k] + out[k] * Math.cos(u) + side[k] * Math.sin(u);
  }

  /** Normal curvature along a tangent given by du, dv steps, 1/mm. */
  along(a: number, b: number): number {
    const length = this.e * a * a + 2 * this.f * a * b + this.g * b * b;
    return length > 0 ? (this.l * a * a + 2 * this.m * a * b + this.n * b * b) / length : 0;
  }
}

const dot3 = (a: Float64Array, b: ArrayLike<number>) => a[0] * b[0] + a[1] * b[1] + a[2] * b[2];

/** Point and derivatives of a spline surface without new lists. Rows of four numbers (x, y, z times weight, weight): the sum itself, by u, by v, uu, uv, vv. Source: The NURBS Book, eq. 4.20. */
class SplineSecond {
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

  copy(at: Float64Array, du: Float64Array, dv: Float64Array): void {
    for (let k = 0; k < 3; k++) {
      at[k] = this.sums[k];
      du[k] = this.sums[4 + k];
      dv[k] = this.sums[8 + k];
    }
  }

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
