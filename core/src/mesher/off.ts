import type { Corner } from './corner.ts';
import { Heights } from './heights.ts';
import type { Surface } from '../surfaces/surfaces.ts';
import type { Bend } from '../surfaces/bend.ts';

/**
 * How far a facet lies off its surface, mm, and where most. Cylinders, cones and spheres in closed form; others by heights over
 * the facet (heights.ts).
 */
export class Off {
  /** Weights of the place that is farthest off. */
  readonly where = new Float64Array(3);
  private readonly surface: Surface;
  private readonly q = new Float64Array(9);
  private readonly heights: Heights | null;

  constructor(surface: Surface, bend: Bend) {
    this.surface = surface;
    this.heights = closed.has(surface.kind) ? null : new Heights(surface, bend);
  }

  /** @param corners three; @param doubtful from this distance on the place that is farthest off is looked for more closely, mm */
  of(corners: readonly Corner[], doubtful: number): number {
    const s = this.surface;
    if (s.kind === 'plane') return 0;
    if (s.kind === 'cylinder') return this.ofCylinder(s.r, corners);
    if (s.kind === 'cone') return this.ofCone(s, corners);
    if (s.kind === 'sphere') return this.ofSphere(s.r, corners);
    return this.heights!.of(corners, doubtful, this.where);
  }

  /** Whether the place that is farthest off may be the only one that is. */
  get alone(): boolean {
    return this.heights?.alone ?? false;
  }

  /** Corners from the axis' or centre's place: x, y across and z along it. */
  private local(corners: readonly Corner[]): void {
    const { at, x, y, z } = (this.surface as Extract<Surface, { frame: unknown }>).frame;
    const { q } = this;
    for (let i = 0; i < 3; i++) {
      const { p } = corners[i];
      const a = p[0] - at[0];
      const b = p[1] - at[1];
      const c = p[2] - at[2];
      q[3 * i] = a * x[0] + b * x[1] + c * x[2];
      q[3 * i + 1] = a * y[0] + b * y[1] + c * y[2];
      q[3 * i + 2] = a * z[0] + b * z[1] + c * z[2];
    }
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
    for (let i = 0; i < 3; i++) if (corners[i].off !== 0) most = this.note(Math.abs(corners[i].off), most, i, 0);
    for (let i = 0; i < 3; i++) {
      const a = 3 * i;
      const b = i === 2 ? 0 : a + 3;
      const dx = q[b] - q[a];
      const dy = q[b + 1] - q[a + 1];
      const dz = q[b + 2] - q[a + 2];
      const long = dx * dx + dy * dy + dz * dz;
      const s = long > 0 ? Math.max(0, Math.min(1, -(q[a] * dx + q[a + 1] * dy + q[a + 2] * dz) / long)) : 0;
      const x = q[a] + s * dx;
      const y = q[a + 1] + s * dy;
      const z = q[a + 2] + s * dz;
      most = this.note(Math.abs(r - Math.sqrt(x * x + y * y + z * z)), most, i, s);
    }
    return this.footWithin(r, most);
  }

  /** The foot of the perpendicular from the centre, when it lies within. Source: Ericson, Real-Time Collision Detection, 3.4. */
  private footWithin(r: number, most: number): number {
    const { q } = this;
    let uu = 0;
    let uv = 0;
    let vv = 0;
    let wu = 0;
    let wv = 0;
    for (let k = 0; k < 3; k++) {
      const u = q[3 + k] - q[k];
      const v = q[6 + k] - q[k];
      uu += u * u;
      uv += u * v;
      vv += v * v;
      wu -= q[k] * u;
      wv -= q[k] * v;
    }
    const det = uu * vv - uv * uv;
    if (!(det > 0)) return most;
    const s = (vv * wu - uv * wv) / det;
    const t = (uu * wv - uv * wu) / det;
    if (s <= 0 || t <= 0 || s + t >= 1) return most;
    let far = 0;
    for (let k = 0; k < 3; k++) {
      const x = q[k] + s * (q[3 + k] - q[k]) + t * (q[6 + k] - q[k]);
      far += x * x;
    }
    const d = Math.abs(r - Math.sqrt(far));
    if (d <= most) return most;
    this.where[0] = 1 - s - t;
    this.where[1] = s;
    this.where[2] = t;
    return d;
  }
}

/** Surfaces with closed forms of their own. */
const closed: ReadonlySet<Surface['kind']> = new Set(['plane', 'cylinder', 'cone', 'sphere']);

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
