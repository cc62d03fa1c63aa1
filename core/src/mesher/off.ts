import { Inverse } from '../body/inverse.ts';
import type { Surface } from '../surfaces/surfaces.ts';
import type { Bend } from './bend.ts';

/** A corner of a facet: where it is, mm, and its parameters. */
export interface Corner {
  p: Float64Array;
  u: number;
  v: number;
}

/** Weights of the first two corners at the places looked at where there is no closed form: the middles and quarters of the edges, the middle of the facet. */
const looks = [0.5, 0.5, 0, 0.5, 0.5, 0, 1 / 3, 1 / 3, 0.75, 0.25, 0.25, 0.75, 0, 0.75, 0, 0.25, 0.75, 0, 0.25, 0];
/** Steps towards the foot of a perpendicular at most. */
const mostSteps = 6;
const stepsA = [1, -1, 0, 0, 1, -1];
const stepsB = [0, 0, 1, -1, -1, 1];

/**
 * How far a facet lies off its surface, mm, and where most. Cylinders, cones and spheres in closed form; others by the foot of the perpendicular from
 * the middles of edges and facet.
 */
export class Off {
  /** Weights of the place that is farthest off. */
  readonly where = new Float64Array(3);
  private readonly surface: Surface;
  private readonly bend: Bend;
  private readonly q = new Float64Array(9);
  private readonly place = new Float64Array(3);
  /** A distance that is below all doubt, mm. */
  private enough = 0;
  private readonly range: readonly number[];

  constructor(surface: Surface, bend: Bend) {
    this.range = endsOf(surface);
    this.surface = surface;
    this.bend = bend;
  }

  /** @param corners three; @param doubtful from this distance on the place that is farthest off is looked for more closely, mm */
  of(corners: readonly Corner[], doubtful: number): number {
    const s = this.surface;
    if (s.kind === 'plane') return 0;
    if (s.kind === 'cylinder') return this.ofCylinder(s.r, corners);
    if (s.kind === 'cone') return this.ofCone(s, corners);
    if (s.kind === 'sphere') return this.ofSphere(s.r, corners);
    this.enough = doubtful / 2;
    let most = 0;
    for (let k = 0; k < looks.length; k += 2) most = this.look(corners, looks[k], looks[k + 1], most);
    if (most > doubtful) for (let step = 0.14; step > 0.04; step /= 2) most = this.climbed(corners, step, most);
    return most;
  }

  /** The largest distance found, when it is that at a place of these weights. */
  private look([a, b, c]: readonly Corner[], wa: number, wb: number, most: number): number {
    const wc = 1 - wa - wb;
    const { place } = this;
    for (let k = 0; k < 3; k++) place[k] = wa * a.p[k] + wb * b.p[k] + wc * c.p[k];
    const d = this.distance(wa * a.u + wb * b.u + wc * c.u, wa * a.v + wb * b.v + wc * c.v);
    if (d <= most) return most;
    this.where[0] = wa;
    this.where[1] = wb;
    this.where[2] = wc;
    return d;
  }

  /** Steps from the farthest place found to those beside it while they are farther. */
  private climbed(corners: readonly Corner[], step: number, most: number): number {
    let found = most;
    for (let again = true; again;) {
      again = false;
      const [wa, wb] = this.where;
      for (let k = 0; k < 6; k++) {
        const [na, nb] = [wa + step * stepsA[k], wb + step * stepsB[k]];
        if (na < 0 || nb < 0 || na + nb > 1) continue;
        const d = this.look(corners, na, nb, found);
        if (d > found) [found, again] = [d, true];
      }
    }
    return found;
  }

  /** Distance of the place from the surface near parameters: steps to the foot of the perpendicular; of a ring in closed form. */
  private distance(u: number, v: number): number {
    const s = this.surface;
    const [x, y, z] = this.place;
    if (s.kind === 'torus') return fromRing(s, this.place);
    const { bend } = this;
    let least = Infinity;
    // Any place of the surface is at least as far as the nearest: when one is near enough the rest need not be looked for.
    for (let step = 0; step < mostSteps && least > this.enough; step++) {
      bend.point(u, v);
      const { at, du, dv } = bend;
      const rx = x - at[0];
      const ry = y - at[1];
      const rz = z - at[2];
      const far = Math.sqrt(rx * rx + ry * ry + rz * rz);
      if (!(far < least * 0.999)) return Math.min(far, least);
      least = far;
      const e = du[0] * du[0] + du[1] * du[1] + du[2] * du[2];
      const f = du[0] * dv[0] + du[1] * dv[1] + du[2] * dv[2];
      const g = dv[0] * dv[0] + dv[1] * dv[1] + dv[2] * dv[2];
      const p = du[0] * rx + du[1] * ry + du[2] * rz;
      const q = dv[0] * rx + dv[1] * ry + dv[2] * rz;
      const det = e * g - f * f;
      if (!(det > 1e-12 * e * g)) return least;
      u = this.held(u + (p * g - q * f) / det, 0);
      v = this.held(v + (e * q - f * p) / det, 2);
    }
    return least;
  }

  /** A parameter within the surface, where it has ends. */
  private held(x: number, k: 0 | 2): number {
    const { range } = this;
    return x < range[k] ? range[k] : x > range[k + 1] ? range[k + 1] : x;
  }

  /** Corners from the axis' or centre's place: x, y across and z along it. */
  private local(corners: readonly Corner[]): void {
    const { at, x, y, z } = (this.surface as Extract<Surface, { frame: unknown }>).frame;
    corners.forEach(({ p }, i) => {
      const [a, b, c] = [p[0] - at[0], p[1] - at[1], p[2] - at[2]];
      this.q[3 * i] = a * x[0] + b * x[1] + c * x[2];
      this.q[3 * i + 1] = a * y[0] + b * y[1] + c * y[2];
      this.q[3 * i + 2] = a * z[0] + b * z[1] + c * z[2];
    });
  }

  private note(d: number, most: number, i: number, s: number): number {
    if (d <= most) return most;
    this.where.fill(0);
    this.where[i] = 1 - s;
    this.where[(i + 1) % 3] = s;
    return d;
  }

  /** The distance from the axis is convex: an edge comes nearest to it, unless the axis itself goes through the facet. */
  private ofCylinder(r: number, corners: readonly Corner[]): number {
    this.local(corners);
    const { q } = this;
    let most = 0;
    const sides = [0, 0, 0];
    for (let i = 0; i < 3; i++) {
      const j = (i + 1) % 3;
      const [ax, ay] = [q[3 * i], q[3 * i + 1]];
      const [dx, dy] = [q[3 * j] - ax, q[3 * j + 1] - ay];
      const long = dx * dx + dy * dy;
      sides[i] = ax * dy - ay * dx;
      const s = long > 0 ? Math.max(0, Math.min(1, -(ax * dx + ay * dy) / long)) : 0;
      most = this.note(Math.abs(r - Math.hypot(ax + s * dx, ay + s * dy)), most, i, s);
    }
    return through(sides) ? r : most;
  }

  /** The distance from a cone's axis less what the cone has there is convex, and straight along rulings: an edge lies deepest. */
  private ofCone({ r, half }: { r: number; half: number }, corners: readonly Corner[]): number {
    this.local(corners);
    const { q } = this;
    const [c, n] = [Math.cos(half), Math.sin(half)];
    // On the other side of the tip all is turned round.
    const far = (x: number, y: number, z: number) => {
      const rho = Math.hypot(x, y);
      return Math.min(Math.abs((rho - r) * c - z * n), Math.abs((-rho - r) * c - z * n));
    };
    let most = 0;
    const sides = [0, 0, 0];
    for (let i = 0; i < 3; i++) {
      const j = (i + 1) % 3;
      const [ax, ay, az] = [q[3 * i], q[3 * i + 1], q[3 * i + 2]];
      const [dx, dy, dz] = [q[3 * j] - ax, q[3 * j + 1] - ay, q[3 * j + 2] - az];
      sides[i] = ax * dy - ay * dx;
      for (const s of lowest(dx * dx + dy * dy, 2 * (ax * dx + ay * dy), ax * ax + ay * ay, (dz * n) / c)) {
        most = this.note(far(ax + s * dx, ay + s * dy, az + s * dz), most, i, s);
      }
    }
    return through(sides) ? Math.max(most, Math.min(Math.hypot(q[0], q[1]), Math.hypot(q[3], q[4]), Math.hypot(q[6], q[7])) * c) : most;
  }

  private ofSphere(r: number, corners: readonly Corner[]): number {
    this.local(corners);
    const { q } = this;
    let most = 0;
    for (let i = 0; i < 3; i++) {
      const j = (i + 1) % 3;
      const [ax, ay, az] = [q[3 * i], q[3 * i + 1], q[3 * i + 2]];
      const [dx, dy, dz] = [q[3 * j] - ax, q[3 * j + 1] - ay, q[3 * j + 2] - az];
      const long = dx * dx + dy * dy + dz * dz;
      const s = long > 0 ? Math.max(0, Math.min(1, -(ax * dx + ay * dy + az * dz) / long)) : 0;
      most = this.note(Math.abs(r - Math.hypot(ax + s * dx, ay + s * dy, az + s * dz)), most, i, s);
    }
    return this.footWithin(r, most);
  }

  /** The foot of the perpendicular from the centre, when it lies within. Source: Ericson, Real-Time Collision Detection, 3.4. */
  private footWithin(r: number, most: number): number {
    const { q } = this;
    let [uu, uv, vv, wu, wv] = [0, 0, 0, 0, 0];
    for (let k = 0; k < 3; k++) {
      const [u, v, w] = [q[3 + k] - q[k], q[6 + k] - q[k], -q[k]];
      uu += u * u;
      uv += u * v;
      vv += v * v;
      wu += w * u;
      wv += w * v;
    }
    const det = uu * vv - uv * uv;
    if (!(det > 0)) return most;
    const [s, t] = [(vv * wu - uv * wv) / det, (uu * wv - uv * wu) / det];
    if (s <= 0 || t <= 0 || s + t >= 1) return most;
    let far = 0;
    for (let k = 0; k < 3; k++) far += (q[k] + s * (q[3 + k] - q[k]) + t * (q[6 + k] - q[k])) ** 2;
    const d = Math.abs(r - Math.sqrt(far));
    if (d <= most) return most;
    this.where.set([1 - s - t, s, t]);
    return d;
  }
}

/** Distance of a place from a ring; one whose tube reaches over the axis has a far side there. */
function fromRing({ frame: { at, z: axis }, major, minor }: Extract<Surface, { kind: 'torus' }>, [x, y, z]: ArrayLike<number> & Iterable<number>): number {
  const [dx, dy, dz] = [x - at[0], y - at[1], z - at[2]];
  const h = dx * axis[0] + dy * axis[1] + dz * axis[2];
  const rho = Math.sqrt(Math.max(0, dx * dx + dy * dy + dz * dz - h * h));
  const near = Math.abs(Math.sqrt((rho - major) ** 2 + h * h) - minor);
  return minor > major ? Math.min(near, Math.abs(Math.sqrt((rho + major) ** 2 + h * h) - minor)) : near;
}

/** Three corners without places yet. */
export const newCorners = (): Corner[] => [0, 1, 2].map(() => ({ p: new Float64Array(3), u: 0, v: 0 }));

/** Ends of u and of v, for splines that do not close. */
function endsOf(s: Surface): number[] {
  const whole = [-Infinity, Infinity, -Infinity, Infinity];
  if (s.kind !== 'bspline') return whole;
  const { range, uPeriod, vPeriod } = new Inverse(s);
  return [uPeriod > 0 ? whole.slice(0, 2) : range.slice(0, 2), vPeriod > 0 ? whole.slice(2) : range.slice(2)].flat();
}

/** Whether the axis goes through a facet: it lies on the same side of all its edges. */
const through = ([a, b, c]: readonly number[]) => (a > 0 && b > 0 && c > 0) || (a < 0 && b < 0 && c < 0);

/** Where sqrt(a s² + b s + c) less m s is least, within 0 and 1; and, for a line through the axis, where it comes nearest to it. */
function lowest(a: number, b: number, c: number, m: number): number[] {
  if (!(a > 0)) return [];
  const out = [-b / (2 * a)];
  const d = 4 * a * c - b * b;
  const k = 1 - (m * m) / a;
  if (k > 0 && d > 0) out.push((Math.sign(m) * Math.sqrt((m * m * d) / (a * k)) - b) / (2 * a));
  return out.filter((s) => s > 0 && s < 1);
}
