import type { Curve } from './curves.ts';
import { SplinePoint } from './spline-point.ts';
import { surfaceAt, type Surface } from './surfaces.ts';
import { dot, type Vec3 } from '../geometry/vector.ts';

/**
 * Finds nearest points on one surface. Elementary surfaces have closed forms; the others are searched from the last
 * point found and from a grid, then by Gauss-Newton steps. The answer is always a point of the surface, so the distance
 * is never too small by more than rounding.
 * Source: orthogonal projection; The NURBS Book, 6.1 (point inversion).
 */
export class Nearest {
  /** The point found last, mm. */
  x = 0;
  y = 0;
  z = 0;
  /** A distance beyond this is looked for all over the surface before it is believed, mm: steps from a place nearby may end at another fold. */
  sure = Infinity;
  private readonly surface: Surface;
  private grid: { u: Float64Array; v: Float64Array; at: Float64Array; spacing: number } | null = null;
  private radius = 0;
  private height = 0;
  private u = NaN;
  private v = NaN;
  private range: [number, number, number, number];
  private readonly spline: SplinePoint | null;
  private readonly at = new Float64Array(3);
  private readonly du = new Float64Array(3);
  private readonly dv = new Float64Array(3);

  constructor(surface: Surface, edges: { curve: Curve | null; from: number; to: number }[] = []) {
    this.surface = surface;
    this.spline = surface.kind === 'bspline' ? new SplinePoint(surface) : null;
    this.range = parameterRange(surface, edges);
  }

  /** Distance in mm from a point to the surface; the nearest point stays in x, y, z. NaN for surfaces that can't be evaluated. */
  find(px: number, py: number, pz: number): number {
    const s = this.surface;
    switch (s.kind) {
      case 'plane': {
        const f = s.frame;
        const d = (px - f.at[0]) * f.z[0] + (py - f.at[1]) * f.z[1] + (pz - f.at[2]) * f.z[2];
        this.x = px - d * f.z[0];
        this.y = py - d * f.z[1];
        this.z = pz - d * f.z[2];
        return Math.abs(d);
      }
      case 'sphere':
        return this.fromCentre(s.frame.at, s.r, px, py, pz);
      case 'cylinder':
      case 'cone':
      case 'torus':
        return this.aroundAxis(s, px, py, pz);
      case 'other':
        return NaN;
      default:
        return this.searched(px, py, pz);
    }
  }

  private fromCentre(c: Vec3, r: number, px: number, py: number, pz: number): number {
    const dx = px - c[0];
    const dy = py - c[1];
    const dz = pz - c[2];
    const d = Math.sqrt(dx * dx + dy * dy + dz * dz);
    const k = d > 0 ? r / d : 0;
    this.x = c[0] + dx * k;
    this.y = c[1] + dy * k;
    this.z = c[2] + dz * k;
    return Math.abs(d - r);
  }

  /** Cylinder, cone and torus: solved in the half plane of radius and height, without allocating. */
  private aroundAxis(s: Extract<Surface, { kind: 'cylinder' | 'cone' | 'torus' }>, px: number, py: number, pz: number): number {
    const { at, x, z } = s.frame;
    const dx = px - at[0];
    const dy = py - at[1];
    const dz = pz - at[2];
    const h = dx * z[0] + dy * z[1] + dz * z[2];
    const rx = dx - h * z[0];
    const ry = dy - h * z[1];
    const rz = dz - h * z[2];
    const rho = Math.sqrt(rx * rx + ry * ry + rz * rz);
    if (s.kind === 'cylinder') {
      this.radius = s.r;
      this.height = h;
    } else if (s.kind === 'cone') this.onConeLine(s.r, s.half, rho, h);
    else this.onTorusCircles(s.major, s.minor, rho, h);
    const { radius, height } = this;
    const scale = rho > 0 ? radius / rho : 0;
    const ex = rho > 0 ? rx * scale : x[0] * radius;
    const ey = rho > 0 ? ry * scale : x[1] * radius;
    const ez = rho > 0 ? rz * scale : x[2] * radius;
    this.x = at[0] + ex + height * z[0];
    this.y = at[1] + ey + height * z[1];
    this.z = at[2] + ez + height * z[2];
    const a = rho - radius;
    const b = h - height;
    return Math.sqrt(a * a + b * b);
  }

  /** The nearest point of a torus in the half plane; one whose tube crosses the axis has a second circle there. */
  private onTorusCircles(major: number, minor: number, rho: number, h: number): void {
    const near = Math.sqrt((rho - major) * (rho - major) + h * h);
    if (minor > major) {
      const far = Math.sqrt((rho + major) * (rho + major) + h * h);
      if (Math.abs(far - minor) < Math.abs(near - minor)) {
        this.radius = ((rho + major) * minor) / far - major;
        this.height = (h * minor) / far;
        return;
      }
    }
    const k = near > 0 ? minor / near : 0;
    this.radius = major + (rho - major) * k;
    this.height = h * k;
  }

  /** The nearest point of a cone's line in the half plane, on whichever nappe is nearer. */
  private onConeLine(r: number, half: number, rho: number, h: number): void {
    const c = Math.cos(half);
    const s = Math.sin(half);
    // Line through (r, 0) along (sin, cos); its mirror image serves the other nappe.
    const along = (rho - r) * s + h * c;
    const across = (rho - r) * c - h * s;
    const other = (-rho - r) * s + h * c;
    const otherAcross = (-rho - r) * c - h * s;
    if (Math.abs(otherAcross) < Math.abs(across) && r + other * s < 0) {
      this.radius = -(r + other * s);
      this.height = other * c;
    } else {
      this.radius = r + along * s;
      this.height = along * c;
    }
  }

  private searched(px: number, py: number, pz: number): number {
    let best = Infinity;
    let bu = this.u;
    let bv = this.v;
    if (!Number.isNaN(this.u)) best = this.refined(px, py, pz, this.u, this.v);
    if (best < Infinity) {
      bu = this.u;
      bv = this.v;
    }
    const grid = (this.grid ??= this.makeGrid());
    // Near enough to be the right place, and not stopped at the end of the range: no need to look elsewhere.
    if (!(best < grid.spacing / 4) || best > this.sure || this.atEnd(bu, bv)) {
      const at = nearestOf(grid.at, px, py, pz);
      // A closed surface begins and ends at one seam: what stops at one end may go on from the other.
      const [u0, u1, v0, v1] = this.range;
      const u = grid.u[at];
      const v = grid.v[at];
      const otherU = u - u0 < u1 - u ? u1 : u0;
      const otherV = v - v0 < v1 - v ? v1 : v0;
      for (let k = 0; k < 3; k++) {
        const again = this.refined(px, py, pz, k === 1 ? otherU : u, k === 2 ? otherV : v);
        if (again < best) {
          best = again;
          bu = this.u;
          bv = this.v;
        }
        if (!this.atEnd(this.u, this.v)) break;
      }
    }
    this.u = bu;
    this.v = bv;
    const p = surfaceAt(this.surface, bu, bv).at;
    this.x = p[0];
    this.y = p[1];
    this.z = p[2];
    return best;
  }

  /** Whether parameters stand at an end of the range. */
  private atEnd(u: number, v: number): boolean {
    const [u0, u1, v0, v1] = this.range;
    return u <= u0 || u >= u1 || v <= v0 || v >= v1;
  }

  /** Gauss-Newton with shorter steps where one leads away, from (u, v), held inside the range; leaves the parameters found in this.u, this.v. */
  private refined(px: number, py: number, pz: number, u: number, v: number): number {
    const [u0, u1, v0, v1] = this.range;
    let best = Infinity;
    let bu = u;
    let bv = v;
    for (let step = 0, halves = 0; step < 12 + halves; step++) {
      this.look(u, v);
      const { at, du, dv } = this;
      const rx = px - at[0];
      const ry = py - at[1];
      const rz = pz - at[2];
      const d = Math.sqrt(rx * rx + ry * ry + rz * rz);
      if (!(d < best)) {
        // Too long a step where the surface bends much: half of it, and half of that, before it is given up.
        if (Number.isNaN(d) || halves === mostHalves || d - best < 1e-6 * d + 1e-12) break;
        halves++;
        u = (u + bu) / 2;
        v = (v + bv) / 2;
        continue;
      }
      const gain = best - d;
      best = d;
      bu = u;
      bv = v;
      // The distance changes by the square of what the foot is off: by less than a millionth of it there is no need to go on.
      if (gain < 1e-6 * d + 1e-12) break;
      const a = dot3(du, du);
      const b = dot3(du, dv);
      const c = dot3(dv, dv);
      const e = du[0] * rx + du[1] * ry + du[2] * rz;
      const f = dv[0] * rx + dv[1] * ry + dv[2] * rz;
      const det = a * c - b * b;
      if (det > 1e-14 * a * c) {
        u += (e * c - f * b) / det;
        v += (a * f - b * e) / det;
      } else {
        if (a > 0) u += e / a;
        if (c > 0) v += f / c;
      }
      u = Math.min(u1, Math.max(u0, u));
      v = Math.min(v1, Math.max(v0, v));
    }
    this.u = bu;
    this.v = bv;
    return best;
  }

  /** Point and tangents at parameters: into this.at, this.du, this.dv. */
  private look(u: number, v: number): void {
    const { at, du, dv, spline } = this;
    if (spline) {
      spline.look(u, v, 1);
      spline.copy(at, du, dv);
      return;
    }
    const p = surfaceAt(this.surface, u, v);
    at.set(p.at);
    du.set(p.du);
    dv.set(p.dv);
  }

  private makeGrid() {
    const [u0, u1, v0, v1] = this.range;
    const s = this.surface;
    const nu = s.kind === 'bspline' ? Math.min(64, 8 + 3 * s.uCount) : s.kind === 'revolution' ? 33 : 48;
    const nv = s.kind === 'bspline' ? Math.min(64, 8 + 3 * s.vCount) : s.kind === 'extrusion' ? 9 : 48;
    const grid = { u: new Float64Array(nu * nv), v: new Float64Array(nu * nv), at: new Float64Array(nu * nv * 3), spacing: 0 };
    for (let i = 0, k = 0; i < nu; i++) {
      for (let j = 0; j < nv; j++, k++) {
        grid.u[k] = u0 + ((u1 - u0) * i) / (nu - 1);
        grid.v[k] = v0 + ((v1 - v0) * j) / (nv - 1);
        grid.at.set(surfaceAt(s, grid.u[k], grid.v[k]).at, k * 3);
      }
    }
    grid.spacing = Infinity;
    for (let i = 1; i < nu * nv; i++) {
      const d = Math.hypot(grid.at[i * 3] - grid.at[i * 3 - 3], grid.at[i * 3 + 1] - grid.at[i * 3 - 2], grid.at[i * 3 + 2] - grid.at[i * 3 - 1]);
      if (i % nv !== 0 && d > 0) grid.spacing = Math.min(grid.spacing, d);
    }
    return grid;
  }
}

const dot3 = (a: Float64Array, b: Float64Array): number => a[0] * b[0] + a[1] * b[1] + a[2] * b[2];

/** Which of a list of places lies nearest. */
function nearestOf(list: Float64Array, ...[px, py, pz]: Vec3): number {
  let nearest = Infinity;
  let at = 0;
  for (let i = 0; i < list.length; i += 3) {
    const dx = list[i] - px;
    const dy = list[i + 1] - py;
    const dz = list[i + 2] - pz;
    const d = dx * dx + dy * dy + dz * dz;
    if (d < nearest) {
      nearest = d;
      at = i / 3;
    }
  }
  return at;
}

/** How often a step of the search is halved in all. */
const mostHalves = 6;

/** The parameter range searched: the knots of a B-spline, a full turn, or what the face's edges reach. */
function parameterRange(s: Surface, edges: { curve: Curve | null; from: number; to: number }[]): [number, number, number, number] {
  if (s.kind === 'bspline') return [s.uKnots[s.uDegree], s.uKnots[s.uCount], s.vKnots[s.vDegree], s.vKnots[s.vCount]];
  if (s.kind === 'offset') return parameterRange(s.of, edges);
  if (s.kind === 'revolution') {
    const [a, b] = curveRange(s.profile);
    return [0, 2 * Math.PI, a, b];
  }
  if (s.kind === 'extrusion') {
    const [a, b] = curveRange(s.profile);
    return [a, b, ...heightRange(s.along, edges)];
  }
  return [-1e3, 1e3, -1e3, 1e3];
}

function curveRange(c: Curve): [number, number] {
  if (c.kind === 'bspline') return [c.knots[c.degree], c.knots[c.poles.length / 3]];
  if (c.kind === 'offset') return curveRange(c.of);
  if (c.kind === 'line' || c.kind === 'parabola') return [-1e3, 1e3];
  // Its parameter runs like a logarithm: this reaches some hundred times its axis.
  if (c.kind === 'hyperbola') return [-7, 7];
  return [0, 2 * Math.PI];
}

/** A generous range along an extrusion: from the ends of its boundary edges. */
function heightRange(along: Vec3, edges: { curve: Curve | null; from: number; to: number }[]): [number, number] {
  let reach = 1;
  for (const edge of edges) {
    const c = edge.curve;
    if (c?.kind === 'line') reach = Math.max(reach, Math.abs(edge.from), Math.abs(edge.to), Math.abs(dot(c.at, along)));
    else if (c && 'at' in c) reach = Math.max(reach, Math.abs(dot(c.at, along)));
    else if (c?.kind === 'bspline') {
      for (let i = 0; i < c.poles.length; i += 3) reach = Math.max(reach, Math.abs(dot([c.poles[i], c.poles[i + 1], c.poles[i + 2]], along)));
    }
  }
  return [-4 * reach, 4 * reach];
}
