import { curveAt, curveSpan, periodOf, type Curve } from '../surfaces/curves.ts';
import { surfaceAt, type BsplineSurface, type Surface, type SurfacePoint } from '../surfaces/surfaces.ts';
import { cross, dot, lengthOf, scaled, sub, unit, type Vec3 } from '../geometry/vector.ts';

const turn = 2 * Math.PI;
/** Ends of a spline are the same point when they are this near, as a part of its size. */
const sameEnds = 1e-9;

/**
 * Parameters of the point of a surface that lies nearest to a place: the inverse of `surfaceAt`.
 * Closed forms for planes, cylinders, cones, spheres and tori; else Gauss-Newton steps from the place found last or from a grid.
 * Source: The NURBS Book, 6.1 (point inversion).
 * @example const on = new Inverse(surface); on.find([1, 2, 3]); [on.u, on.v]
 */
export class Inverse {
  u = 0;
  v = 0;
  /** A round trip in u or v; 0 where the surface is not closed that way. */
  readonly uPeriod: number;
  readonly vPeriod: number;
  /** Parameters within which the surface is defined. */
  readonly range: [number, number, number, number];
  /** Whether its points are within the range alone, in u and in v, also where it closes. */
  readonly ends: [boolean, boolean];
  readonly surface: Surface;
  private grid: Grid | null = null;

  constructor(surface: Surface) {
    this.surface = surface;
    [this.uPeriod, this.vPeriod] = periodsOf(surface);
    this.range = rangeOf(surface);
    this.ends = endsOf(surface);
  }

  /** Finds u and v. @param near parameters to begin from; without them the whole surface is looked over */
  find(p: Vec3, near?: readonly [number, number]): void {
    const s = this.surface;
    if (!('frame' in s)) this.search(p, near);
    else {
      const q = sub(p, s.frame.at);
      const [x, y, h] = [dot(q, s.frame.x), dot(q, s.frame.y), dot(q, s.frame.z)];
      this.elementary(s, x, y, h);
    }
    if (near && this.uPeriod > 0) this.u += Math.round((near[0] - this.u) / this.uPeriod) * this.uPeriod;
    if (near && this.vPeriod > 0) this.v += Math.round((near[1] - this.v) / this.vPeriod) * this.vPeriod;
  }

  private elementary(s: Extract<Surface, { frame: unknown }>, x: number, y: number, h: number): void {
    if (s.kind === 'plane') {
      this.u = x;
      this.v = y;
      return;
    }
    const rho = Math.hypot(x, y);
    this.u = Math.atan2(y, x);
    if (s.kind === 'cylinder') this.v = h;
    else if (s.kind === 'cone') this.cone(s, rho, h);
    else if (s.kind === 'sphere') this.v = Math.atan2(h, rho);
    else this.torus(s, rho, h);
  }

  /** Beyond its tip a cone goes on, opening the other way. */
  private cone(s: { r: number; half: number }, rho: number, h: number): void {
    const [c, n] = [Math.cos(s.half), Math.sin(s.half)];
    const beyond = Math.abs((-rho - s.r) * c - h * n) < Math.abs((rho - s.r) * c - h * n);
    if (beyond) this.u += Math.PI;
    this.v = ((beyond ? -rho : rho) - s.r) * n + h * c;
  }

  /** One whose tube reaches over its axis has a second sheet there. */
  private torus(s: { major: number; minor: number }, rho: number, h: number): void {
    this.v = Math.atan2(h, rho - s.major);
    if (s.minor < s.major) return;
    const across = (r: number) => Math.abs(Math.hypot(r - s.major, h) - s.minor);
    if (across(-rho) >= across(rho)) return;
    this.u += Math.PI;
    this.v = Math.atan2(h, -rho - s.major);
  }

  private search(p: Vec3, near?: readonly [number, number]): void {
    const grid = (this.grid ??= gridOf(this.surface, this.range));
    if (near && this.refine(p, near[0], near[1]) < trusted * grid.size) return;
    let best = Infinity;
    let [bu, bv] = [0, 0];
    for (const [u, v] of this.surface.kind === 'revolution' ? this.turnedStarts(p, grid) : this.starts(p, grid)) {
      const d = this.refine(p, u, v);
      if (d < best) {
        best = d;
        [bu, bv] = [this.u, this.v];
      }
    }
    this.u = bu;
    this.v = bv;
  }

  /** The few nearest places of the grid, each to be refined: the nearest of them need not lead to the nearest point. */
  private starts(p: Vec3, grid: Grid): [number, number][] {
    const few = new Nearest();
    const towards = this.surface.kind === 'extrusion' ? unit(this.surface.along) : null;
    for (let i = 0; i < grid.u.length; i++) {
      if (grid.again[i]) continue;
      let q = sub(p, grid.place(i));
      if (towards) q = sub(q, scaled(towards, dot(q, towards)));
      few.take(i, dot(q, q));
    }
    return few.found.map((i) => [grid.u[i], towards ? dot(sub(p, grid.place(i)), towards) / lengthOf((this.surface as { along: Vec3 }).along) : grid.v[i]]);
  }

  /**
   * The same for what is turned about an axis: the point is turned onto each place of the profile, so that only heights and distances from the axis count. Two
   * sheets that cross, as those of a tube that reaches over its axis, are told apart so.
   */
  private turnedStarts(p: Vec3, grid: Grid): [number, number][] {
    const { at, axis } = this.surface as Extract<Surface, { kind: 'revolution' }>;
    const x = squareTo(axis);
    const y = cross(axis, x);
    const polar = (q: Vec3): [angle: number, far: number, high: number] => [Math.atan2(dot(q, y), dot(q, x)), Math.hypot(dot(q, x), dot(q, y)), dot(q, axis)];
    const [angle, far, high] = polar(sub(p, at));
    const few = new Nearest();
    // The first line of the grid is the profile as it was given.
    for (let j = 0; j < grid.profile; j++) {
      const [, r, h] = polar(sub(grid.place(j), at));
      few.take(j, (far - r) ** 2 + (high - h) ** 2);
    }
    return few.found.map((j) => [within(angle - polar(sub(grid.place(j), at))[0], 0, turn), grid.v[j]]);
  }

  /** Gauss-Newton steps from (u, v), along a limit of the surface where they would leave it; leaves the parameters found, gives the distance there. */
  private refine(p: Vec3, u: number, v: number): number {
    const [u0, u1, v0, v1] = this.range;
    let before = Infinity;
    let now = Infinity;
    for (let step = 0; step < 40; step++) {
      const on = surfaceAt(this.surface, u, v);
      const r = sub(p, on.at);
      now = lengthOf(r);
      const [du, dv] = this.step(on, r, u, v);
      const moved = Math.abs(du) * lengthOf(on.du) + Math.abs(dv) * lengthOf(on.dv);
      if (moved < 1e-14 * (1 + lengthOf(on.at)) || (step > 6 && now >= before)) break;
      before = now;
      const nextU = this.uPeriod > 0 ? u + du : between(u + du, u0, u1);
      const nextV = this.vPeriod > 0 ? v + dv : between(v + dv, v0, v1);
      if (nextU === u && nextV === v) break;
      // A round surface is looked at within its range; how often it was gone round is said by `near`.
      u = within(nextU, u0, this.uPeriod);
      v = within(nextV, v0, this.vPeriod);
    }
    this.u = u;
    this.v = v;
    return now;
  }

  /** How the parameters change for a move r: along a limit of the surface where they would leave it. */
  private step(on: SurfacePoint, r: Vec3, u: number, v: number): [number, number] {
    const [u0, u1, v0, v1] = this.range;
    const [du, dv] = solved(on, r);
    const stuckU = this.uPeriod === 0 && leaves(u, du, u0, u1);
    const alongV = stuckU ? alone(on.dv, r) : dv;
    if (this.vPeriod === 0 && leaves(v, alongV, v0, v1)) return [stuckU ? 0 : alone(on.du, r), 0];
    return [stuckU ? 0 : du, alongV];
  }
}

const between = (x: number, low: number, high: number) => Math.min(high, Math.max(low, x));
const leaves = (x: number, by: number, low: number, high: number) => (x <= low && by < 0) || (x >= high && by > 0);

/** A place found from one nearby is trusted when it lies this near to the surface, as a part of its size; else the whole surface is looked over. */
const trusted = 1e-6;

/** How one parameter changes alone for a move r. */
const alone = (d: Vec3, r: Vec3) => (dot(d, d) > 0 ? dot(d, r) / dot(d, d) : 0);

const within = (x: number, from: number, period: number) => (period > 0 ? x - Math.floor((x - from) / period) * period : x);

/** How u and v change for a move r of the point: least squares over both tangents. */
export function solved(on: SurfacePoint, r: Vec3): [number, number] {
  const a = dot(on.du, on.du);
  const b = dot(on.du, on.dv);
  const c = dot(on.dv, on.dv);
  const e = dot(on.du, r);
  const f = dot(on.dv, r);
  const det = a * c - b * b;
  if (det > 1e-14 * a * c) return [(e * c - f * b) / det, (a * f - b * e) / det];
  return a > c ? [e / a, 0] : [0, c > 0 ? f / c : 0];
}

function rangeOf(s: Surface): [number, number, number, number] {
  if (s.kind === 'bspline') return [s.uKnots[s.uDegree], s.uKnots[s.uCount], s.vKnots[s.vDegree], s.vKnots[s.vCount]];
  if (s.kind === 'offset') return rangeOf(s.of);
  if (s.kind === 'revolution') return [0, turn, ...curveSpan(s.profile)];
  if (s.kind === 'extrusion') return [...curveSpan(s.profile), -Infinity, Infinity];
  return [-Infinity, Infinity, -Infinity, Infinity];
}

/** Whether a surface is a spline along u, and along v: its points are within the range alone, also where it closes. */
function endsOf(s: Surface): [boolean, boolean] {
  if (s.kind === 'bspline') return [true, true];
  if (s.kind === 'offset') return endsOf(s.of);
  const ends = (c: Curve): boolean => c.kind === 'bspline' || (c.kind === 'offset' && ends(c.of));
  if (s.kind === 'revolution') return [false, ends(s.profile)];
  return [s.kind === 'extrusion' && ends(s.profile), false];
}

function periodsOf(s: Surface): [number, number] {
  if (s.kind === 'torus') return [turn, turn];
  if (s.kind === 'cylinder' || s.kind === 'cone' || s.kind === 'sphere') return [turn, 0];
  if (s.kind === 'revolution') return [turn, periodOf(s.profile)];
  if (s.kind === 'extrusion') return [periodOf(s.profile), 0];
  if (s.kind === 'offset') return periodsOf(s.of);
  if (s.kind === 'bspline') return [closedU(s) ? rangeOf(s)[1] - rangeOf(s)[0] : 0, closedV(s) ? rangeOf(s)[3] - rangeOf(s)[2] : 0];
  return [0, 0];
}

const largestOf = (list: Float64Array) => list.reduce((most, x) => Math.max(most, Math.abs(x)), 0);

/** Whether two poles are one, within a distance. */
function samePoles(s: BsplineSurface, a: number, b: number, near: number): boolean {
  for (let k = 0; k < 3; k++) if (Math.abs(s.poles[a * 3 + k] - s.poles[b * 3 + k]) > near) return false;
  return !s.weights || Math.abs(s.weights[a] - s.weights[b]) <= sameEnds * s.weights[a];
}
function closedU(s: BsplineSurface): boolean {
  const near = sameEnds * largestOf(s.poles);
  for (let j = 0; j < s.vCount; j++) if (!samePoles(s, j, (s.uCount - 1) * s.vCount + j, near)) return false;
  return true;
}
function closedV(s: BsplineSurface): boolean {
  const near = sameEnds * largestOf(s.poles);
  for (let i = 0; i < s.uCount; i++) if (!samePoles(s, i * s.vCount, i * s.vCount + s.vCount - 1, near)) return false;
  return true;
}

/** Knots once each, with places between them. */
function steps(knots: Float64Array, degree: number, count: number, between: number): number[] {
  const out: number[] = [];
  for (let i = degree; i < count; i++) {
    if (!(knots[i + 1] > knots[i])) continue;
    for (let k = 0; k < between; k++) out.push(knots[i] + ((knots[i + 1] - knots[i]) * k) / between);
  }
  out.push(knots[count]);
  return out;
}
const even = (from: number, to: number, n: number) => Array.from({ length: n + 1 }, (_, i) => from + ((to - from) * i) / n);

function curveSteps(c: Curve): number[] {
  if (c.kind === 'bspline') return steps(c.knots, c.degree, c.poles.length / 3, 4);
  if (c.kind === 'line') return [0];
  return even(...curveSpan(c), 48);
}

/** Most places of a grid one way. */
const mostSteps = 200;
const thinned = (list: number[]) => (list.length <= mostSteps ? list : even(0, list.length - 1, mostSteps).map((i) => list[Math.round(i)]));

function stepsOf(s: Surface): [number[], number[]] {
  if (s.kind === 'bspline') return [steps(s.uKnots, s.uDegree, s.uCount, 3), steps(s.vKnots, s.vDegree, s.vCount, 3)];
  if (s.kind === 'extrusion') return [curveSteps(s.profile), [0]];
  if (s.kind === 'revolution') return [even(0, turn, 24), curveSteps(s.profile)];
  if (s.kind === 'offset') return stepsOf(s.of);
  return [even(0, turn, 24), even(0, turn, 24)];
}

/** The few indices with the least values of those that were taken, the least first. */
class Nearest {
  readonly found: number[] = [];
  private readonly far: number[] = [];

  take(i: number, far: number): void {
    const { found } = this;
    if (found.length === fewest && !(far < this.far[fewest - 1])) return;
    let k = found.length;
    while (k > 0 && this.far[k - 1] > far) k--;
    found.splice(k, 0, i);
    this.far.splice(k, 0, far);
    found.length = this.far.length = Math.min(found.length, fewest);
  }
}

/** Places of the grid from which the nearest point is looked for. */
const fewest = 4;

/** Places all over a surface, and how far they lie apart at most along an axis, mm. */
class Grid {
  readonly u: Float64Array;
  readonly v: Float64Array;
  readonly at: Float64Array;
  /** 1 where a place is the same as the one before it along u or v: a pole is looked from once, else it would crowd out the places round it. */
  readonly again: Uint8Array;
  /** Places along the first line of constant u. */
  readonly profile: number;
  size = 0;

  constructor(us: number, vs: number) {
    const n = us * vs;
    this.u = new Float64Array(n);
    this.v = new Float64Array(n);
    this.at = new Float64Array(3 * n);
    this.again = new Uint8Array(n);
    this.profile = vs;
  }

  place(i: number): Vec3 {
    return [this.at[i * 3], this.at[i * 3 + 1], this.at[i * 3 + 2]];
  }
}

function gridOf(s: Surface, range: readonly number[]): Grid {
  if (range.some(Number.isNaN)) throw new RangeError('The surface has no range.');
  const [us, vs] = stepsOf(s).map(thinned);
  const grid = new Grid(us.length, vs.length);
  us.forEach((u, i) =>
    vs.forEach((v, j) => {
      const k = i * vs.length + j;
      grid.u[k] = u;
      grid.v[k] = v;
      grid.at.set(surfaceAt(s, u, v).at, k * 3);
      const same = (m: number) => [0, 1, 2].every((c) => Math.abs(grid.at[k * 3 + c] - grid.at[m * 3 + c]) <= 1e-12 * (1 + Math.abs(grid.at[k * 3 + c])));
      if ((j > 0 && same(k - 1)) || (i > 0 && same(k - vs.length))) grid.again[k] = 1;
    }),
  );
  for (let k = 0; k < 3; k++) {
    let [low, high] = [Infinity, -Infinity];
    for (let i = k; i < grid.at.length; i += 3) {
      low = Math.min(low, grid.at[i]);
      high = Math.max(high, grid.at[i]);
    }
    grid.size = Math.max(grid.size, high - low);
  }
  return grid;
}

/** Parameter of the point of a curve nearest to a place. Closed forms for lines, circles and ellipses that go through it; else steps from a grid. */
export function parameterOf(c: Curve, p: Vec3): number {
  if (c.kind === 'line') return dot(sub(p, c.at), c.along) / dot(c.along, c.along);
  if (c.kind === 'circle' || c.kind === 'ellipse') {
    const q = sub(p, c.at);
    return Math.atan2(dot(q, c.y) / c.ry, dot(q, c.x) / c.rx);
  }
  if (c.kind === 'parabola') return dot(sub(p, c.at), c.y);
  if (c.kind === 'hyperbola') return Math.asinh(dot(sub(p, c.at), c.y) / c.ry);
  const list = curveSteps(c);
  let best = Infinity;
  let near = list[0];
  for (const t of list) {
    const q = sub(curveAt(c, t, 1).at, p);
    if (dot(q, q) < best) {
      best = dot(q, q);
      near = t;
    }
  }
  const [low, high] = curveSpan(c);
  // The ends of a closed curve are one place: what is near one may lie before the other.
  const first = nearestFrom(c, p, near);
  if (near !== low && near !== high) return first;
  const other = nearestFrom(c, p, near === low ? high : low);
  const far = (t: number) => lengthOf(sub(curveAt(c, t, 1).at, p));
  return far(other) < far(first) ? other : first;
}

/** Steps to the nearest point of a curve from a parameter, within its range. */
function nearestFrom(c: Curve, p: Vec3, from: number): number {
  const [low, high] = curveSpan(c);
  let at = from;
  for (let step = 0; step < 40; step++) {
    const { at: on, d1 } = curveAt(c, at, 1);
    const speed = dot(d1, d1);
    const by = speed > 0 ? dot(sub(p, on), d1) / speed : 0;
    const next = Math.min(high, Math.max(low, at + by));
    if (Math.abs(next - at) <= 1e-15 * (high - low)) break;
    at = next;
  }
  return at;
}

/** A direction square to another. */
export function squareTo(z: Vec3): Vec3 {
  return unit(cross(Math.abs(z[0]) < 0.6 ? [1, 0, 0] : [0, 1, 0], z));
}
