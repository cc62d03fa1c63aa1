import { curveAt, type Curve } from './curves.ts';
import { SplinePoint } from './spline-point.ts';
import { surfaceAt, type Surface } from './surfaces.ts';
import { cross, dot, scaled, sub, type Vec3 } from '../geometry/vector.ts';

/** Tangents whose squared area is below this share of their squared lengths are one. */
const lost = 1e-12;
/** So is one whose squared length is below this share of the other's: the surface has shrunk to a point there. */
const shrunk = 1e-20;

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
  private readonly spline: SplinePoint | null;
  /** The spline that is swept, as a surface of one line. */
  private readonly profile: SplinePoint | null;
  private readonly aside = new Float64Array(3);
  /** -1 where a surface round an axis has a left-handed frame: du x dv points inside there. */
  private readonly hand: 1 | -1;
  /** -1 where was looked beyond the axis, as on a tube that reaches over it: du goes the other way round there. */
  private beyond: 1 | -1 = 1;

  constructor(surface: Surface) {
    this.hand = 'frame' in surface && dot(cross(surface.frame.x, surface.frame.y), surface.frame.z) < 0 ? -1 : 1;
    this.surface = surface;
    this.spline = surface.kind === 'bspline' ? new SplinePoint(surface) : null;
    this.profile = surface.kind === 'extrusion' || surface.kind === 'revolution' ? lineOf(surface.profile) : null;
  }

  /** Point and tangents only. */
  point(u: number, v: number): void {
    if (this.round(u, v)) return;
    if (this.spline) {
      this.spline.look(u, v, 1);
      this.spline.copy(this.at, this.du, this.dv);
      return;
    }
    if (this.profile && this.swept(this.profile, u, v)) return;
    const p = surfaceAt(this.surface, u, v);
    this.at.set(p.at);
    this.du.set(p.du);
    this.dv.set(p.dv);
  }

  /** Point and tangents of what a spline sweeps, without new lists. */
  private swept(profile: SplinePoint, u: number, v: number): boolean {
    const { surface: s, at, du, dv } = this;
    if (s.kind === 'extrusion') {
      profile.look(u, 0, 1);
      profile.copy(at, du, dv);
      for (let k = 0; k < 3; k++) {
        at[k] += v * s.along[k];
        dv[k] = s.along[k];
      }
      return true;
    }
    if (s.kind !== 'revolution') return false;
    profile.look(v, 0, 1);
    profile.copy(at, dv, du);
    for (let k = 0; k < 3; k++) at[k] -= s.at[k];
    this.turn(at, s.axis, u);
    this.turn(dv, s.axis, u);
    const [x, y, z] = s.axis;
    du[0] = y * at[2] - z * at[1];
    du[1] = z * at[0] - x * at[2];
    du[2] = x * at[1] - y * at[0];
    for (let k = 0; k < 3; k++) at[k] += s.at[k];
    return true;
  }

  /** Turns a vector about an axis of length 1. Source: Rodrigues' formula. */
  private turn(q: Float64Array, [x, y, z]: Vec3, angle: number): void {
    const c = Math.cos(angle);
    const s = Math.sin(angle);
    const { aside } = this;
    aside[0] = y * q[2] - z * q[1];
    aside[1] = z * q[0] - x * q[2];
    aside[2] = x * q[1] - y * q[0];
    const up = (1 - c) * (x * q[0] + y * q[1] + z * q[2]);
    q[0] = c * q[0] + s * aside[0] + up * x;
    q[1] = c * q[1] + s * aside[1] + up * y;
    q[2] = c * q[2] + s * aside[2] + up * z;
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
    const known = this.isKnown();
    const half = known ? (this.e * this.n - 2 * this.f * this.m + this.g * this.l) / (2 * det) : 0;
    const gauss = known ? (this.l * this.n - this.m * this.m) / det : 0;
    const root = Math.sqrt(Math.max(0, half * half - gauss));
    this.most = half >= 0 ? half + root : half - root;
    this.least = half >= 0 ? half - root : half + root;
  }

  private isKnown(): boolean {
    const { e, f, g } = this;
    return e * g - f * f > lost * e * g && e > shrunk * g && g > shrunk * e;
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
    this.beyond = radius < 0 ? -1 : 1;
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

  /**
   * The normal of what was looked at last, of length 1; 0 where the tangents are as good as one. To the side that bends count towards: outside of what stands round an
   * axis, else along du x dv. @param from where it goes in a list
   */
  normal(out: Float64Array, from: number): void {
    const { du, dv } = this;
    const x = du[1] * dv[2] - du[2] * dv[1];
    const y = du[2] * dv[0] - du[0] * dv[2];
    const z = du[0] * dv[1] - du[1] * dv[0];
    const k = this.isKnown() ? (this.hand * this.beyond) / Math.sqrt(x * x + y * y + z * z) : 0;
    out[from] = k * x;
    out[from + 1] = k * y;
    out[from + 2] = k * z;
  }

  /** Normal curvature along a tangent given by du, dv steps, 1/mm. */
  along(a: number, b: number): number {
    const length = this.e * a * a + 2 * this.f * a * b + this.g * b * b;
    return length > 0 ? (this.l * a * a + 2 * this.m * a * b + this.n * b * b) / length : 0;
  }
}

const dot3 = (a: Float64Array, b: ArrayLike<number>) => a[0] * b[0] + a[1] * b[1] + a[2] * b[2];

/** A spline curve as a surface of degree 0 the other way; null for other curves. */
function lineOf(c: Curve): SplinePoint | null {
  if (c.kind !== 'bspline') return null;
  return new SplinePoint({ uDegree: c.degree, vDegree: 0, uKnots: c.knots, vKnots: Float64Array.of(0, 1), uCount: c.poles.length / 3, vCount: 1, poles: c.poles, weights: c.weights }); // prettier-ignore
}
