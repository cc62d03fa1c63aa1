import type { Curve } from './curves.ts';
import { creasesOf } from './creases.ts';
import { CreasedFoot } from './creased-foot.ts';
import { SurfaceFoot, type Foot } from './foot.ts';
import { SweptFoot } from './swept-foot.ts';
import type { Surface } from './surfaces.ts';

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
  /** A distance up to this need not be looked for more closely, mm: what is given then is no more than that. */
  enough = 0;
  /** The search of surfaces without a closed form that have two parameters; else null. */
  readonly foot: SurfaceFoot | null;
  /** The same of what a profile sweeps. */
  readonly swept: SweptFoot | null;
  /** The same of those with creases. */
  readonly creased: CreasedFoot | null;
  private readonly surface: Surface;
  private radius = 0;
  private height = 0;

  constructor(surface: Surface) {
    this.surface = surface;
    this.swept = surface.kind === 'extrusion' || surface.kind === 'revolution' ? new SweptFoot(surface, curveRange(surface.profile)) : null;
    const creases = creasesOf(surface);
    this.creased = surface.kind === 'bspline' && CreasedFoot.takes(creases) ? new CreasedFoot(surface, parameterRange(surface), creases) : null;
    this.foot = !this.creased && (surface.kind === 'bspline' || surface.kind === 'offset') ? new SurfaceFoot(surface, parameterRange(surface)) : null;
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
        return this.fromCentre(s, px, py, pz);
      case 'cylinder':
      case 'cone':
      case 'torus':
        return this.aroundAxis(s, px, py, pz);
      case 'other':
        return NaN;
      default:
        return this.searched((this.foot ?? this.swept ?? this.creased)!, px, py, pz);
    }
  }

  /** Parameters of the point found last, of a surface without a closed form (of what is turned about an axis, on its profile); else null. */
  parameters(): [number, number] | null {
    const spline = this.foot ?? this.creased;
    if (spline) return [spline.u, spline.v];
    return this.swept && this.surface.kind === 'revolution' ? [0, this.swept.t] : null;
  }

  private searched(foot: Foot, px: number, py: number, pz: number): number {
    const spline = this.foot ?? this.creased;
    if (spline) spline.sure = this.sure;
    foot.enough = this.enough;
    const d = foot.find(px, py, pz);
    this.x = foot.x;
    this.y = foot.y;
    this.z = foot.z;
    return d;
  }

  private fromCentre({ frame: { at: c }, r }: Extract<Surface, { kind: 'sphere' }>, px: number, py: number, pz: number): number {
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
}

/** The parameter range searched: the knots of a B-spline, a full turn. */
export function parameterRange(s: Surface): [number, number, number, number] {
  if (s.kind === 'bspline') return [s.uKnots[s.uDegree], s.uKnots[s.uCount], s.vKnots[s.vDegree], s.vKnots[s.vCount]];
  if (s.kind === 'offset') return parameterRange(s.of);
  if (s.kind === 'revolution') return [0, 2 * Math.PI, ...curveRange(s.profile)];
  if (s.kind === 'extrusion') return [...curveRange(s.profile), -1e3, 1e3];
  return [-1e3, 1e3, -1e3, 1e3];
}

function curveRange(c: Curve): [number, number] {
  if (c.kind === 'bspline') return [c.knots[c.degree], c.knots[c.poles.length / 3]];
  if (c.kind === 'offset') return curveRange(c.of);
  // Steps along a line end at once, wherever they began.
  if (c.kind === 'line') return [-1e9, 1e9];
  if (c.kind === 'parabola') return [-1e3, 1e3];
  // Its parameter runs like a logarithm: this reaches some hundred times its axis.
  if (c.kind === 'hyperbola') return [-7, 7];
  return [0, 2 * Math.PI];
}
